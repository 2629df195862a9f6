<script setup lang="ts">
import { computed } from 'vue'
import type { Entry, Schemas } from '../shared/api'
import { byChannel, inline, label } from '../shared/words'
import { bytes } from '../files/bytes'
import TimeText from '../shared/TimeText.vue'

const props = defineProps<{ entry: Entry; vendor: string; fresh?: boolean }>()
const emit = defineEmits<{ mark: [number] }>()
const kind = computed(() =>
  props.entry.kind === 'message' ? (props.entry.direction === 'in' ? 'in' : 'out') : props.entry.kind,
)
const hasWay = computed(() => !['note', 'call', 'briefing'].includes(kind.value))
const delivery = computed(() => props.entry.delivery)
/** Whom a briefing was for, and whether it has left. */
function told(b: Schemas['Briefed']): string[] {
  const to = `to ${b.to.join(', ')}`
  if (b.copied) return [to, 'not emailed from here']
  if (b.lost) return [to, `${b.lost} of ${b.to.length} emails could not be sent: ${b.problem}`]
  return [to, (b.sent ?? 0) < b.to.length ? `${b.sent ?? 0} of ${b.to.length} emails sent` : 'emailed']
}
const bits = computed(() => {
  const e = props.entry.effect
  const out: string[] = []
  if (props.entry.automatic) out.push('automatic, does not count as an answer')
  if (props.entry.holds?.length)
    out.push(`has a ${props.entry.holds.map((k) => inline(label('FindingKind', k))).join(', a ')} in it`)
  if (props.entry.briefed) out.push(...told(props.entry.briefed))
  if (e?.offers) out.push(`offers a ${inline(label('Step.offers', e.offers))}`)
  if (kind.value === 'in' && e?.move === 'theirs') out.push('still waiting on vendor')
  return out
})
</script>

<template>
  <div class="entry" :class="`is-${kind}`" :data-testid="`entry-${entry.number}`" :data-kind="kind">
    <span class="sub when"
      ><TimeText :at="entry.happened_at" /><b v-if="fresh" class="fresh small" data-testid="fresh">new</b></span
    >
    <p v-if="kind === 'change' || kind === 'file'" class="change">
      {{ entry.text }}<span v-if="entry.author" class="sub">&nbsp; {{ entry.author }}</span>
    </p>
    <article v-else class="sheet">
      <p class="head">
        <span v-if="kind === 'in'" class="sub"
          ><span aria-hidden="true">←</span> {{ label('Entry.direction', 'in') }}</span
        >
        <span v-else-if="kind === 'out'" class="sub"
          ><span aria-hidden="true">→</span> {{ label('Entry.direction', 'out') }}</span
        >
        <span v-else-if="kind === 'briefing'" class="sub">briefing by</span>
        <span v-else-if="kind === 'note'" class="sub">internal, never sent ·</span>
        <span v-else class="sub">call or chat {{ entry.direction === 'out' ? 'by' : 'with' }}</span>
        <b>{{ entry.author }}</b>
        <span class="sub meta">
          <template v-if="hasWay">{{ byChannel(entry.channel ?? 'api') }}</template>
          <template v-if="delivery">
            ·
            <span :class="{ bad: ['unsure', 'refused'].includes(delivery.state) }">{{
              label('DeliveryState', delivery.state)
            }}</span><template v-if="delivery.left_at">&nbsp;<TimeText :at="delivery.left_at" /></template
          ></template>
          <template v-for="(b, i) in bits" :key="b">{{ i || hasWay ? ' · ' : '' }}{{ b }}</template>
        </span>
      </p>
      <p class="body">{{ entry.text }}</p>
      <ul v-if="entry.enclosed?.length" class="enclosed small" data-testid="enclosed">
        <li v-for="f in entry.enclosed" :key="f.number">
          <span class="sub">File {{ f.number }}:</span> {{ f.name ?? 'a sensitive file' }}
          <span class="sub"
            >{{ bytes(f.bytes) }} · {{ inline(label('DeliveryState', f.state))
            }}<template v-if="f.at">&nbsp;<TimeText :at="f.at" /></template
          ></span>
        </li>
      </ul>
      <p v-if="delivery?.problem" class="bad small">{{ delivery.problem }}</p>
      <button
        v-if="kind === 'in' && !entry.automatic && !entry.effect?.offers && entry.effect?.event === 'vendor-message'"
        class="linkish small mark"
        type="button"
        @click="emit('mark', entry.number)"
      >
        Mark as an offer
      </button>
    </article>
  </div>
</template>

<style scoped>
.entry {
  display: grid;
  grid-template-columns: 112px minmax(0, 1fr);
  margin-bottom: 12px;
  align-items: start;
}
.when {
  padding-top: 7px;
}
.change {
  white-space: pre-line;
  padding-top: 7px;
}
.sheet {
  background: var(--panel);
  border: 1px solid var(--line2);
  border-radius: 6px;
  padding: 9px 14px 10px;
  max-width: 752px;
}
.is-out .sheet {
  margin-left: 60px;
}
.is-note .sheet {
  background: transparent;
  border: 1px dashed var(--ink2);
  padding-left: 26px;
  max-width: 622px;
  position: relative;
}
.is-note .sheet::before {
  content: '';
  position: absolute;
  left: 0;
  top: 0;
  bottom: 0;
  width: 12px;
  background: repeating-linear-gradient(45deg, var(--ink2) 0 1.5px, transparent 1.5px 5px);
  border-radius: 5px 0 0 5px;
}
.is-call .sheet {
  border-style: double;
  border-width: 3px;
  border-color: var(--line2);
}
.head {
  display: flex;
  gap: 8px;
  align-items: baseline;
  flex-wrap: wrap;
}
.meta {
  margin-left: auto;
}
.body {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-width: 66ch;
  margin-top: 2px;
}
.enclosed {
  list-style: none;
  margin: 6px 0 0;
  padding: 6px 0 0;
  border-top: 1px solid var(--line2);
  overflow-wrap: anywhere;
}
.bad {
  color: var(--late);
}
.mark {
  margin-top: 6px;
}
@media (max-width: 640px) {
  .entry {
    grid-template-columns: 1fr;
  }
  .is-out .sheet {
    margin-left: 18px;
  }
}
.fresh {
  display: table;
  padding: 0 5px;
  border: 1px solid var(--brass);
  border-radius: 3px;
  color: var(--ink);
}
</style>
