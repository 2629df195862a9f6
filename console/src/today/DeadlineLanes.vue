<script setup lang="ts">
import { useElementSize, useStorage } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import type { Schemas } from '../shared/api'
import { clock, full, short, useClock } from '../shared/time'
import { label } from '../shared/words'
import StandingMark from '../shared/StandingMark.vue'
import TimeText from '../shared/TimeText.vue'
import { byDay, ms, scale, spots, ticks, type Mark, type Spot } from './lanes'

// What is due with each vendor: two days back, the next eight hours wide, five days on; their closed hours hatched.
const props = defineProps<{ lanes: Schemas['Lanes'] }>()
const now = useClock()
const box = ref<HTMLElement>()
const { width } = useElementSize(box)
const folded = useStorage('roundhouse.lanes-folded', false)
const small = computed(() => width.value > 0 && width.value < 720)
const row = 33
const head = 34
const left = 262
const plot = computed(() => Math.max(200, width.value - left - 14))
const from = computed(() => ms(props.lanes.from))
const to = computed(() => ms(props.lanes.to))
const x = computed(() => scale(from.value, now.value.getTime(), to.value, plot.value))
const wide = 46
const drawn = computed(() =>
  props.lanes.lanes.map((l) => ({
    ...l,
    spots: spots(l, x.value, wide, plot.value - wide + 10),
    dark: l.closed.map((c) => ({ x: x.value(ms(c.from)), to: x.value(ms(c.to)) })),
  })),
)
const grid = computed(() => ticks(from.value, now.value.getTime(), to.value).map((t) => ({ ...t, x: x.value(t.at) })))
const nowX = computed(() => x.value(now.value.getTime()))
/** A label is left out where the one before it, or the clock of now, is in its place. */
const labelled = computed(() => {
  let last = -99
  return grid.value.filter((t) => {
    if (t.x - last < 50 || Math.abs(t.x + 20 - nowX.value) < 48 || plot.value - t.x < 30) return false
    last = t.x
    return true
  })
})
const height = computed(() => head + drawn.value.length * row)
const arrow = (m: Mark) => (m.owed === 'ours' ? '←' : '→')
const words = (m: Mark) => `${m.case} ${m.title}: ${m.what}, ${label('Standing', m.standing)}, ${full(m.at)}`
const text = (s: Spot) => (s.marks.length > 1 ? `${s.marks.length}×` : `${arrow(s.first)}${s.first.severity}`)
const opened = ref<{ lane: string; at: number }>()
const open = computed<Spot | undefined>(() =>
  drawn.value
    .find((l) => l.key === opened.value?.lane)
    ?.spots.find((s) => s.marks.length > 1 && Math.abs(s.x - opened.value!.at) < wide),
)
watch(folded, () => (opened.value = undefined))
const days = computed(() => byDay(props.lanes.lanes))
</script>

<template>
  <section ref="box" class="panel lanes" aria-label="What is due with each vendor" data-testid="lanes">
    <template v-if="folded" />
    <p v-else-if="!lanes.lanes.length" class="rest sub">Nothing is due within five days.</p>
    <div v-else-if="small" class="days">
      <template v-for="d in days" :key="d.day">
        <h3 class="small">{{ d.day }}</h3>
        <p v-for="(m, i) in d.marks" :key="i" class="small">
          <StandingMark :standing="m.standing" :text="clock(new Date(m.at))" />{{ ' ' }}
          <RouterLink :to="`/cases/${m.case}`" class="mono">{{ m.case }}</RouterLink> {{ m.what }}
          <span class="sub">{{ m.vendor }}</span>
        </p>
      </template>
    </div>
    <div v-else class="plot">
      <svg :width="width" :height="height" aria-hidden="true">
        <defs>
          <pattern id="closed" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <path d="M0 0v6" class="hatch" />
          </pattern>
        </defs>
        <g :transform="`translate(${left} 0)`">
          <template v-for="(l, i) in drawn" :key="l.key">
            <rect
              v-for="(d, k) in l.dark"
              :key="k"
              :x="d.x"
              :y="head + i * row + 4"
              :width="Math.max(0, d.to - d.x)"
              :height="row - 8"
              fill="url(#closed)"
            />
          </template>
          <path v-for="t in grid" :key="t.at" :d="`M${t.x} 24V${height}`" class="grid" />
          <text v-for="t in labelled" :key="t.at" :x="t.x + 4" y="18" class="tick tn">{{ t.label }}</text>
          <path :d="`M${nowX} 22V${height}`" class="now" />
          <rect :x="nowX - 22" y="4" width="44" height="19" rx="3" class="now-plate" />
          <text :x="nowX" y="18" text-anchor="middle" class="now-text tn">{{ clock(now) }}</text>
        </g>
        <path v-for="(l, i) in drawn" :key="l.key" :d="`M0 ${head + i * row}H${width}`" class="grid" />
      </svg>
      <div v-for="(l, i) in drawn" :key="l.key" class="lane" :style="{ top: `${head + i * row}px` }">
        <RouterLink class="cut name" :to="`/vendors/${l.key}`" :title="l.vendor">{{ l.vendor }}</RouterLink>
        <span class="sub small tn hours"
          >{{ clock(now, l.zone) }}
          {{ l.open ? (l.until ? `until ${short(l.until, now, l.zone)}` : 'always open') : 'closed' }}</span
        >
        <component
          :is="s.marks.length > 1 ? 'button' : 'RouterLink'"
          v-for="s in l.spots"
          :key="s.x"
          class="spot tn"
          :class="s.first.standing"
          :style="{ left: `${left + s.x - 10}px` }"
          :to="s.marks.length > 1 ? undefined : `/cases/${s.first.case}`"
          :type="s.marks.length > 1 ? 'button' : undefined"
          :title="s.marks.length > 1 ? `${s.marks.length} due` : words(s.first)"
          :aria-label="`${text(s)}: ${s.marks.map(words).join('; ')}`"
          :aria-expanded="s.marks.length > 1 ? s === open : undefined"
          data-testid="mark"
          @click="s.marks.length > 1 && (opened = s === open ? undefined : { lane: l.key, at: s.x })"
          ><StandingMark :standing="s.first.standing" :text="text(s)"
        /></component>
      </div>
    </div>
    <ul v-if="open && !small && !folded" class="gathered small" data-testid="gathered">
      <li v-for="(m, i) in open.marks" :key="i">
        <StandingMark :standing="m.standing" />{{ ' ' }}
        <RouterLink :to="`/cases/${m.case}`" class="mono">{{ m.case }}</RouterLink> <b>{{ m.title }}</b> {{ m.what }}
        <span class="sub">{{ arrow(m) }} {{ label('Side', m.owed) }} · <TimeText :at="m.at" /></span>
      </li>
    </ul>
    <p class="rest sub small">
      <span v-if="folded">What is due with each vendor</span>
      <span v-else-if="lanes.idle">and {{ lanes.idle }} vendor{{ lanes.idle === 1 ? '' : 's' }} with nothing due</span>
      <span class="right"
        ><template v-if="!folded && !small">hatched: closed · the next eight hours are drawn wide · </template
        ><button class="linkish" type="button" data-testid="fold" :aria-expanded="!folded" @click="folded = !folded">
          {{ folded ? 'Show' : 'Fold' }}
        </button></span
      >
    </p>
  </section>
</template>

<style scoped>
.lanes {
  margin-bottom: 16px;
  overflow: hidden;
}
.plot {
  position: relative;
}
.plot svg {
  display: block;
}
.hatch {
  stroke: var(--hatch);
  stroke-width: 2.4;
}
.grid {
  stroke: var(--line2);
}
.tick {
  fill: var(--ink2);
  font-size: 12.5px;
}
.now {
  stroke: var(--now);
  stroke-width: 2;
}
.now-plate {
  fill: var(--now);
}
.now-text {
  fill: var(--panel);
  font-weight: 650;
  font-size: 12.5px;
}
.lane {
  position: absolute;
  left: 0;
  right: 0;
  height: 33px;
}
.name {
  position: absolute;
  left: 14px;
  top: 6px;
  max-width: 130px;
  color: var(--ink);
  font-weight: 550;
  text-decoration: none;
}
.name:hover {
  text-decoration: underline;
}
.hours {
  position: absolute;
  right: calc(100% - 250px);
  top: 7px;
  white-space: nowrap;
}
.spot {
  position: absolute;
  top: 6px;
  height: 21px;
  min-width: 43px;
  padding: 0 6px;
  font: inherit;
  font-size: 13px;
  line-height: 17px;
  border: 1px solid currentColor;
  border-radius: 3px;
  background: var(--panel);
  color: var(--run);
  text-decoration: none;
  cursor: pointer;
}
.spot :deep(.st) {
  gap: 4px;
}
.spot.late {
  color: var(--late);
  border-width: 2px;
  line-height: 15px;
}
.spot.due-soon {
  color: var(--soon);
  border-width: 2px;
  line-height: 15px;
}
.spot.paused {
  color: var(--pause);
}
.rest {
  display: flex;
  gap: 12px;
  padding: 5px 14px;
}
.gathered {
  list-style: none;
  margin: 0;
  padding: 6px 14px;
  border-top: 1px solid var(--line2);
}
.gathered li {
  padding: 2px 0;
}
.days {
  padding: 8px 14px;
}
.days h3 {
  margin: 8px 0 2px;
}
</style>
