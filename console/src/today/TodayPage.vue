<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { words } from '../shared/api'
import { useMe } from '../shared/queries'
import { useToday, useTodayAfter } from './queries'
import { clock, longDay, useClock } from '../shared/time'
import MoveArrow from '../shared/MoveArrow.vue'
import SeverityPlate from '../shared/SeverityPlate.vue'
import StandingMark from '../shared/StandingMark.vue'
import TimeText from '../shared/TimeText.vue'

const router = useRouter()
const whose = ref<'desk' | 'mine'>('desk')
const { data, error } = useToday(whose)
const me = useMe()
const may = computed(() => me.data.value?.may.includes('work') ?? false)
const now = useClock()
const zone = computed(() => data.value?.zone)
// What is less pressing is fetched when it is asked for, and followed from where the first page ended.
const rest = useTodayAfter(
  whose,
  computed(() => data.value?.next),
)
const lines = computed(() => [...(data.value?.lines ?? []), ...rest.lines.value])
const hidden = computed(() => (data.value?.total ?? 0) - lines.value.length)
</script>

<template>
  <div class="head">
    <h1>
      {{ longDay(now) }}, <span class="tn">{{ clock(now) }}</span>
    </h1>
    <span v-if="zone" class="sub tn"
      >{{ clock(now, zone) }} desk time ({{ zone.split('/').pop()?.replaceAll('_', ' ') }})</span
    >
    <span v-if="data" class="sums tn">
      <StandingMark standing="late" :text="`${data.late} late`" />
      <StandingMark standing="due-soon" :text="`${data.due_soon} due soon`" />
      <span class="sub">{{ data.unread }} unread</span>
      <span class="sub">{{ data.on_the_way }} not delivered yet</span>
      <span class="sub">{{ data.live }} live</span>
    </span>
  </div>
  <p v-if="error" class="problem" role="alert">{{ words(error) }}</p>
  <p v-if="data?.rota_gap" class="warn gap" data-testid="rota-gap">
    Nobody can be reached round the clock from <TimeText :at="data.rota_gap.from" /><template
      v-if="data.rota_gap.until"
    >
      to <TimeText :at="data.rota_gap.until" /></template
    >. Needed by
    <template v-for="(c, i) in data.rota_gap.cases.slice(0, 3)" :key="c"
      ><template v-if="i > 0">, </template><RouterLink class="mono" :to="`/cases/${c}`">{{ c }}</RouterLink></template
    ><template v-if="data.rota_gap.cases.length > 3"> and {{ data.rota_gap.cases.length - 3 }} more</template>.
    <RouterLink to="/register/rota">See the rota</RouterLink>
  </p>
  <div class="head">
    <h2>Next</h2>
    <span class="sub">most pressing first</span>
    <fieldset class="segments right">
      <legend class="hide">Whose cases</legend>
      <label><input v-model="whose" type="radio" value="desk" name="whose" />Whole desk</label>
      <label><input v-model="whose" type="radio" value="mine" name="whose" data-testid="mine" />Mine</label>
    </fieldset>
  </div>
  <div v-if="data && data.lines.length === 0" class="panel roomy">
    <p><b>Nothing needs attention.</b></p>
    <p class="sub">
      A live case appears here when a deadline runs, a vendor writes, or something cannot be sent.
      <RouterLink to="/open">Open a case</RouterLink> to start.
    </p>
  </div>
  <section v-else-if="data" class="panel list" aria-label="What needs attention next">
    <div class="line names small sub" aria-hidden="true">
      <span></span><span>Case</span><span></span><span>Vendor</span><span>Reason</span><span>Standing</span
      ><span>Due</span><span>Waiting on</span><span>Owner</span><span></span>
    </div>
    <div v-for="l in lines" :key="l.case.number" class="line" data-testid="today-line">
      <SeverityPlate :severity="l.case.severity" :word="l.case.severity_word" />
      <RouterLink class="mono" data-walk :to="`/cases/${l.case.number}`">{{ l.case.number }}</RouterLink>
      <span class="cut title" :title="l.case.title"
        ><b>{{ l.case.title }}</b></span
      >
      <span class="cut vendor sub" :title="l.case.vendor">{{ l.case.vendor }}</span>
      <span class="cut why" :title="l.why">{{ l.why }}</span>
      <span class="stand"><StandingMark :standing="l.standing" /></span>
      <TimeText :at="l.due" class="due" /><span v-if="!l.due" class="due"></span>
      <span class="move"><MoveArrow :move="l.case.move" /></span>
      <span class="sub who" :title="l.case.owner">{{ l.case.owner_initials }}</span>
      <NButton
        v-if="may && l.step !== 'look'"
        class="step"
        size="small"
        :aria-label="`${l.step_words}: ${l.case.number}`"
        @click="router.push({ path: `/cases/${l.case.number}`, query: { do: l.step } })"
        >{{ l.step_words }}</NButton
      >
    </div>
    <p v-if="hidden > 0" class="rest sub">
      and {{ hidden }} less pressing.
      <button class="linkish" type="button" data-testid="more-lines" @click="rest.more()">Show more</button>
    </p>
    <p v-if="rest.problem.value" class="problem" role="alert">{{ rest.problem.value }}</p>
  </section>
  <section v-if="data?.drafts.length" class="ending" aria-label="Your drafts">
    <h2>Your drafts</h2>
    <ul>
      <li v-for="r in data.drafts" :key="r.number" data-testid="own-draft">
        <RouterLink class="mono" :to="`/open/${r.number}`">{{ r.number }}</RouterLink>{{ ' ' }} <b>{{ r.title }}</b>{{
          ' '
        }}
        <span class="sub">{{ r.vendor }} · changed <TimeText :at="r.changed_at" /></span>
      </li>
    </ul>
  </section>
  <section v-if="data?.contracts.length" class="ending" aria-label="Contracts that end or need notice">
    <h2>Contracts that end or need notice</h2>
    <ul>
      <li v-for="k in data.contracts" :key="k.id" :class="{ near: k.within === 30 }" data-testid="ending">
        <RouterLink class="mono" :to="`/register/contracts/${k.id}`">{{ k.number }}</RouterLink>{{ ' ' }}
        <span class="sub">{{ k.vendor }}</span> {{ k.words.join('. ') }}
      </li>
    </ul>
  </section>
</template>

<style scoped>
.gap {
  margin-bottom: 10px;
}
.head {
  display: flex;
  align-items: baseline;
  gap: 14px;
  margin-bottom: 10px;
  flex-wrap: wrap;
}
.sums {
  margin-left: auto;
  display: flex;
  gap: 18px;
  flex-wrap: wrap;
}
.line {
  display: grid;
  grid-template-columns: 24px 60px minmax(0, 1fr) 146px minmax(0, 212px) 88px 112px 64px 44px 118px;
  gap: 10px;
  align-items: center;
  height: 37px;
  padding: 0 14px;
  border-top: 1px solid var(--line2);
}
.line.names {
  height: 30px;
  border: 0;
}
.line:not(.names):hover {
  background: color-mix(in srgb, var(--primary) 5%, var(--panel));
}
.line b {
  font-weight: 600;
}
.ending {
  margin-top: 18px;
}
.ending ul {
  list-style: none;
  padding: 0;
  margin: 6px 0 0;
}
.ending li {
  padding: 5px 0 5px 12px;
  border-left: 3px solid var(--line2);
  margin-bottom: 4px;
}
.ending li.near {
  border-left-color: var(--soon);
}
.rest {
  padding: 10px 14px;
  border-top: 1px solid var(--line2);
}
@media (max-width: 900px) {
  .line {
    grid-template-columns: 24px 66px 1fr auto;
    height: auto;
    padding: 10px 12px;
    row-gap: 4px;
  }
  .names {
    display: none !important;
  }
  .title {
    grid-column: 1 / -1;
    grid-row: 2;
  }
  .vendor {
    grid-column: 1 / -1;
  }
  .why {
    grid-column: 1 / -1;
    white-space: normal;
  }
  .due {
    display: none;
  }
  .who {
    grid-column: 3 / -1;
    text-align: right;
  }
  .stand {
    grid-column: 4;
    grid-row: 1;
  }
  .move {
    grid-column: 1 / 3;
  }
  .step {
    grid-column: 1 / -1;
  }
}
</style>
