<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../shared/api'

const props = defineProps<{ preview: Schemas['Preview'] }>()

// A line a day in the calendar's own zone: windows as bars, now in its colour,
// the due as a tick. The zone's clock places things, so a changed night shows.
const parts = (iso: string | number) => {
  const f = new Intl.DateTimeFormat('en-CA', {
    timeZone: props.preview.zone,
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
    hour: '2-digit',
    minute: '2-digit',
    hourCycle: 'h23',
  })
  const p = Object.fromEntries(f.formatToParts(new Date(iso)).map((x) => [x.type, x.value]))
  return { day: `${p.year}-${p.month}-${p.day}`, at: (Number(p.hour) * 60 + Number(p.minute)) / 1440 }
}
type Day = { day: string; label: string; bars: [number, number][]; now?: number; due?: number }
const days = computed(() => {
  const out = new Map<string, Day>()
  const start = new Date(props.preview.from).getTime()
  const last = props.preview.due
    ? Math.max(new Date(props.preview.due).getTime(), start + 6 * 86400e3)
    : start + 13 * 86400e3
  for (let t = start; t <= Math.min(last, start + 20 * 86400e3) + 3600e3; t += 12 * 3600e3) {
    const { day } = parts(t)
    if (!out.has(day))
      out.set(day, {
        day,
        label: new Intl.DateTimeFormat('en-GB', {
          weekday: 'short',
          day: 'numeric',
          month: 'short',
          timeZone: 'UTC',
        }).format(new Date(day + 'T12:00:00Z')),
        bars: [],
      })
  }
  for (const w of props.preview.windows) {
    const a = parts(w.open)
    const b = parts(w.close)
    if (a.day === b.day) out.get(a.day)?.bars.push([a.at, b.at])
    else {
      let inside = false
      for (const d of out.values()) {
        if (d.day === a.day) {
          d.bars.push([a.at, 1])
          inside = true
        } else if (d.day === b.day) {
          if (b.at > 0) d.bars.push([0, b.at])
          inside = false
        } else if (inside || (d.day > a.day && d.day < b.day)) d.bars.push([0, 1])
      }
    }
  }
  const now = parts(props.preview.from)
  const here = out.get(now.day)
  if (here) here.now = now.at
  if (props.preview.due) {
    const due = parts(props.preview.due)
    const there = out.get(due.day)
    if (there) there.due = due.at
  }
  return [...out.values()]
})
const words = computed(() =>
  days.value.map((d) => `${d.label}: ${windows(d.bars.length)}${d.due !== undefined ? ', due' : ''}`).join('; '),
)
const windows = (n: number) => (n === 0 ? 'closed' : n === 1 ? '1 window' : `${n} windows`)
</script>

<template>
  <svg :viewBox="`0 0 640 ${days.length * 22 + 22}`" role="img" :aria-label="words" class="drawing">
    <g class="scale">
      <text v-for="h in [0, 6, 12, 18, 24]" :key="h" :x="110 + (h / 24) * 510" y="12" text-anchor="middle">
        {{ h }}
      </text>
    </g>
    <g v-for="(d, i) in days" :key="d.day" :transform="`translate(0 ${i * 22 + 20})`">
      <text x="0" y="12">{{ d.label }}</text>
      <rect x="110" y="2" width="510" height="14" class="closed" />
      <rect
        v-for="([a, b], k) in d.bars"
        :key="k"
        :x="110 + a * 510"
        y="2"
        :width="Math.max(1, (b - a) * 510)"
        height="14"
        class="open"
      />
      <line v-if="d.now !== undefined" :x1="110 + d.now * 510" :x2="110 + d.now * 510" y1="-1" y2="19" class="now" />
      <g v-if="d.due !== undefined" :transform="`translate(${110 + d.due * 510} 0)`">
        <path d="M0 -2 v22" class="due" />
        <path d="M-5 -4 h10 l-5 6 z" class="flag" />
      </g>
    </g>
  </svg>
</template>

<style scoped>
.drawing {
  width: 100%;
  max-width: 760px;
  margin-top: 12px;
  font:
    12px 'Source Sans 3 Variable',
    'DejaVu Sans',
    sans-serif;
}
text {
  fill: var(--ink2);
}
.closed {
  fill: none;
  stroke: var(--line2);
}
.open {
  fill: var(--primary);
  opacity: 0.55;
}
.now {
  stroke: var(--now);
  stroke-width: 2;
}
.due {
  stroke: var(--ink);
  stroke-width: 2;
  fill: none;
}
.flag {
  fill: var(--ink);
}
</style>
