<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { Deadline } from '../shared/api'
import { clock, dayAfter, full, span, useClock } from '../shared/time'
import { choicesOf, label } from '../shared/words'
import StandingMark from '../shared/StandingMark.vue'

const props = defineProps<{ deadlines: Deadline[]; asOf?: string }>()
const ticking = useClock()
const now = computed(() => (props.asOf ? new Date(props.asOf) : ticking.value))
const box = ref<HTMLElement>()
const { width } = useElementSize(box)
// The plot lies between the names and the standings.
const left = computed(() => (width.value < 520 ? 140 : 150))
const right = computed(() => (width.value < 520 ? 120 : 150))
const plot = computed(() => Math.max(60, width.value - left.value - right.value))
const rowHeight = 25
const kinds = choicesOf('DeadlineKind').map((k) => k.value)
const nameOf = (kind: string) => label('DeadlineKind', kind)
const rows = computed(() =>
  kinds
    .map((kind) => ({ kind, clocks: props.deadlines.filter((d) => d.deadline === kind) }))
    .filter((r) => r.clocks.length),
)
const ms = (t: string) => new Date(t).getTime()
const range = computed(() => {
  const from = Math.min(...props.deadlines.map((d) => ms(d.started)))
  const ends = props.deadlines.map((d) => (d.ended ? ms(d.ended) : now.value.getTime()))
  const dues = props.deadlines.filter((d) => !d.ended && d.due).map((d) => ms(d.due!))
  const last = Math.max(...ends, ...dues)
  const live = props.deadlines.some((d) => !d.ended)
  const to = Math.max(last, live ? now.value.getTime() : last, from + 600_000)
  return { from, to: to + (to - from) * 0.03 }
})
const x = (t: number) => left.value + ((t - range.value.from) / (range.value.to - range.value.from)) * plot.value
const height = computed(() => 30 + rows.value.length * rowHeight + 6)

const ticks = computed(() => {
  const total = range.value.to - range.value.from
  const hour = 3_600_000
  const step =
    [hour / 6, hour / 2, hour, 3 * hour, 6 * hour, 12 * hour, 24 * hour, 48 * hour, 168 * hour, 720 * hour].find(
      (s) => total / s <= Math.min(9, plot.value / 58),
    ) ?? 2160 * hour
  // Ticks of some hours and more fall on the midnights of the reader's zone.
  const offset = step >= 3 * hour ? new Date(range.value.from).getTimezoneOffset() * 60_000 : 0
  const out: { at: number; label: string }[] = []
  let before = now.value // whose month is plain
  for (let t = Math.ceil((range.value.from - offset) / step) * step + offset; t < range.value.to; t += step) {
    const d = new Date(t)
    const ofDay = step >= 24 * hour || (d.getHours() === 0 && d.getMinutes() === 0)
    out.push({ at: t, label: ofDay ? dayAfter(d, before) : clock(d) })
    if (ofDay) before = d
  }
  return out
})
const live = computed(() => props.deadlines.some((d) => !d.ended))
const nowX = computed(() => x(now.value.getTime()))

type Bar = { x1: number; x2: number; kind: 'counted' | 'over' | 'paused' }
function bars(d: Deadline): Bar[] {
  const due = d.due ? ms(d.due) : Infinity
  return d.segments.flatMap((s): Bar[] => {
    const a = ms(s.from)
    const b = ms(s.to)
    if (!s.counted) return [{ x1: x(a), x2: x(b), kind: 'paused' }]
    if (b <= due) return [{ x1: x(a), x2: x(b), kind: 'counted' }]
    if (a >= due) return [{ x1: x(a), x2: x(b), kind: 'over' }]
    return [
      { x1: x(a), x2: x(due), kind: 'counted' },
      { x1: x(due), x2: x(b), kind: 'over' },
    ]
  })
}
const open = ref<string>()
const last = (clocks: Deadline[]) => clocks.at(-1)!
const worst = (d: Deadline) => (d.late_seconds ? `${span(d.late_seconds)} late` : undefined)
const told =
  'Each deadline from its start to when it is due: counted time thick, paused time dotted, late time broken. ' +
  'The same is explained in words below.'
</script>

<template>
  <section ref="box" class="panel track" aria-label="Deadlines over the life of the case">
    <svg v-if="width > 0" :width="width" :height="height" role="img" :aria-label="told">
      <g v-for="t in ticks" :key="t.at">
        <line :x1="x(t.at)" :x2="x(t.at)" y1="26" :y2="height - 4" stroke="var(--line2)" />
        <text
          v-if="!live || x(t.at) < nowX - 70 || x(t.at) > nowX + 22"
          :x="x(t.at) + 3"
          y="17"
          fill="var(--ink2)"
          font-size="12.5"
        >
          {{ t.label }}
        </text>
      </g>
      <g v-for="(r, i) in rows" :key="r.kind" :transform="`translate(0 ${30 + i * rowHeight})`">
        <text x="14" y="15" font-size="12.5" fill="var(--ink)" font-weight="600">
          {{ nameOf(r.kind) }}
          <tspan fill="var(--ink2)" font-weight="400">{{ label('Side', r.clocks[0]!.side) }}</tspan>
        </text>
        <template v-for="(d, j) in r.clocks" :key="j">
          <template v-for="(b, k) in bars(d)" :key="k">
            <line
              v-if="b.kind === 'paused'"
              :x1="b.x1"
              :x2="b.x2"
              y1="11"
              y2="11"
              stroke="var(--pause)"
              stroke-width="1.6"
              stroke-dasharray="1.6 3.4"
            />
            <line
              v-else-if="b.kind === 'counted'"
              :x1="b.x1"
              :x2="Math.max(b.x2, b.x1 + 1.5)"
              y1="11"
              y2="11"
              :stroke="d.side === 'ours' ? 'var(--pause)' : 'var(--run)'"
              stroke-width="6"
            />
            <line
              v-else
              :x1="b.x1"
              :x2="b.x2"
              y1="11"
              y2="11"
              stroke="var(--late)"
              stroke-width="6"
              stroke-dasharray="3 2"
            />
          </template>
          <line
            v-if="
              d.due &&
              (j === r.clocks.length - 1 || d.late_seconds) &&
              d.standing !== 'replaced' &&
              d.standing !== 'void' &&
              ms(d.due) <= range.to
            "
            :x1="x(ms(d.due))"
            :x2="x(ms(d.due))"
            y1="3"
            y2="19"
            stroke="var(--ink)"
            stroke-width="2"
          />
        </template>
      </g>
      <g v-if="live">
        <line :x1="nowX" :x2="nowX" y1="24" :y2="height - 4" stroke="var(--now)" stroke-width="2" />
        <text :x="nowX" y="17" text-anchor="middle" fill="var(--now)" font-size="12.5" font-weight="650">
          {{ clock(now) }}
        </text>
      </g>
    </svg>
    <div class="standings">
      <button
        v-for="r in rows"
        :key="r.kind"
        class="explain"
        type="button"
        :aria-expanded="open === r.kind"
        :title="`Explain ${nameOf(r.kind)}`"
        :data-testid="`explain-${r.kind}`"
        @click="open = open === r.kind ? undefined : r.kind"
      >
        <span class="hide">{{ nameOf(r.kind) }}:</span
        ><StandingMark :standing="last(r.clocks).standing" :text="worst(last(r.clocks))" />
      </button>
    </div>
    <div v-for="r in rows.filter((q) => q.kind === open)" :key="r.kind" class="words" data-testid="explanation">
      <div v-for="(d, j) in r.clocks" :key="j" class="one">
        <p>
          <StandingMark :standing="d.standing" /> <b>{{ nameOf(r.kind) }}, {{ d.label }}.</b> {{ d.words }}
          <template v-if="d.due">Due {{ full(d.due) }}.</template>
        </p>
        <table class="small">
          <thead>
            <tr class="sub">
              <th scope="col">From</th>
              <th scope="col">To</th>
              <th scope="col">Covered</th>
              <th scope="col">Why</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(s, k) in d.segments" :key="k" :class="{ sub: !s.counted }">
              <td class="tn">{{ full(s.from) }}</td>
              <td class="tn">{{ full(s.to) }}</td>
              <td class="tn">{{ s.counted ? span(s.covered_seconds) : 'not counted' }}</td>
              <td>{{ s.why }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </div>
  </section>
</template>

<style scoped>
.track {
  position: relative;
  margin: 12px 0 16px;
}
svg {
  display: block;
}
.standings {
  position: absolute;
  right: 14px;
  top: 30px;
  display: flex;
  flex-direction: column;
}
.explain {
  height: 25px;
  background: none;
  border: 0;
  padding: 0 2px;
  font: inherit;
  font-size: 12.5px;
  cursor: pointer;
  display: flex;
  align-items: center;
}
.explain:hover {
  text-decoration: underline;
}
.words {
  border-top: 1px solid var(--line2);
  padding: 10px 14px 14px;
}
.one + .one {
  margin-top: 12px;
}
th {
  text-align: left;
  font-weight: 400;
  padding-right: 24px;
}
td {
  padding-right: 24px;
}
</style>
