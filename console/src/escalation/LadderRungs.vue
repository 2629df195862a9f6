<script setup lang="ts">
import type { Schemas } from '../shared/api'
import { short, useClock } from '../shared/time'
import { label, target } from '../shared/words'
import StandingMark from '../shared/StandingMark.vue'
import TimeText from '../shared/TimeText.vue'

/** The rungs of a vendor's ladder, with what was raised of them and whom to turn to now. */
const props = defineProps<{ ladder: Schemas['Ladder']; vendor: string; picked?: number }>()
const emit = defineEmits<{ pick: [rung: number] }>()
const now = useClock()
const advised = (r: Schemas['LadderRung']) => props.ladder.advice?.rung === r.rung
</script>

<template>
  <section class="panel rungs" aria-label="Ladder">
    <h2>
      {{ vendor }}
      <span class="sub there"
        >{{ ladder.open ? 'open now' : 'closed now'
        }}<template v-if="ladder.until">, until {{ short(ladder.until, now, ladder.zone) }} there</template></span
      >
    </h2>
    <p v-if="!ladder.rungs.length" class="none sub">
      This vendor has no ladder yet. Add whom to call, in what order, and when, on the vendor's page.
    </p>
    <div
      v-for="r in ladder.rungs"
      :key="r.rung"
      class="rung"
      :class="{ picked: r.rung === picked }"
      :data-testid="`rung-${r.rung}`"
    >
      <span class="mono">{{ r.rung }}</span>
      <div>
        <b>{{ r.role }}{{ r.name ? `, ${r.name}` : '' }}</b> <span class="sub">{{ r.how }}</span>
        <p v-if="r.told" class="sub small">What to tell them: {{ r.told }}</p>
        <p class="sub small">
          {{ r.when.length ? `When ${r.when.join(', or ')}` : 'Only when somebody decides to'
          }}<template v-if="r.reply">. They answer within {{ target(r.reply) }}</template
          >.
        </p>
        <p v-for="z in r.raised" :key="z.entry" class="small" :data-testid="`raised-${r.rung}`">
          Raised <TimeText :at="z.at" /><template v-if="z.by"> by {{ z.by }}</template
          ><template v-if="z.who !== `${r.role} ${r.name ?? ''}`.trim()">, to {{ z.who }}</template
          ><template v-if="z.before_reopening">, before it was reopened</template>.
          <template v-if="z.due">
            <StandingMark
              :standing="z.standing"
              :text="z.ended_at ? undefined : 'answer ' + label('Standing', z.standing)"
            />{{ ' ' }}
            <span class="sub"
              ><template v-if="z.ended_at"><TimeText :at="z.ended_at" /></template
              ><template v-else> due <TimeText :at="z.due" /></template
            ></span>
          </template>
        </p>
      </div>
      <b v-if="advised(r)" class="right">Advised now</b>
      <button
        v-if="r.rung !== picked"
        class="linkish right"
        type="button"
        :data-testid="`pick-${r.rung}`"
        @click="emit('pick', r.rung)"
      >
        {{ advised(r) ? 'Draft' : 'Choose' }}<span class="hide"> rung {{ r.rung }}</span>
      </button>
    </div>
  </section>
</template>

<style scoped>
h2 {
  padding: 10px 12px;
  margin: 0;
}
.there {
  font-weight: 400;
  font-size: 14px;
}
.none {
  padding: 0 12px 12px;
}
.rung {
  display: grid;
  grid-template-columns: 26px minmax(0, 1fr) auto;
  gap: 2px 10px;
  padding: 9px 12px;
  border-top: 1px solid var(--line2);
}
.rung > div {
  grid-row: span 2;
  overflow-wrap: anywhere;
}
.rung > .right {
  grid-column: 3;
  text-align: right;
  align-self: start;
}
.rung p {
  margin: 2px 0 0;
}
.picked {
  background: var(--soon-bg);
  box-shadow: inset 3px 0 0 var(--brass);
}
</style>
