<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'
import { client, ok, words } from '../shared/api'
import { useFilters } from '../shared/filters'
import { clock, useClock } from '../shared/time'
import { label } from '../shared/words'
import StandingMark from '../shared/StandingMark.vue'
import { useVendors } from '../vendors/queries'
import { byDay, dayOf, dueOf, monday, named, parsed, plus, type Event } from './days'
import FeedsDialog from './FeedsDialog.vue'
import MoveDialog from './MoveDialog.vue'
import { eventFile } from '../cases/dates'
import { useMe } from '../shared/queries'

// What is coming, by week or day.
const now = useClock()
const { one, set } = useFilters()
const vendors = useVendors()
const wide = computed(() => one('view') !== 'day')
const at = computed(() => parsed(one('from')) ?? dayOf(now.value))
const from = computed(() => (wide.value ? monday(at.value) : dayOf(at.value)))
const days = computed(() => (wide.value ? 7 : 1))
const to = computed(() => plus(from.value, days.value))
const mine = computed(() => one('whose') === 'mine')
const query = computed(() => ({
  from: from.value.toISOString(),
  to: to.value.toISOString(),
  mine: mine.value || undefined,
  vendor: one('vendor') || undefined,
}))
const { data, error } = useQuery({
  queryKey: ['today', 'agenda', query],
  queryFn: () => ok(client.GET('/agenda', { params: { query: query.value } })),
  placeholderData: keepPreviousData,
  refetchInterval: 60_000,
})
const list = computed(() => byDay(from.value, days.value, data.value?.events ?? [], data.value?.gaps ?? []))
const following = ref(false)
const moving = ref<Event>()
const me = useMe()
const may = computed(() => me.data.value?.may.includes('work') ?? false)
const today = computed(() => named(dayOf(now.value)))
const month = (d: Date, year = false) =>
  new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'long', ...(year && { year: 'numeric' }) }).format(d)
const title = computed(() => {
  if (!wide.value)
    return new Intl.DateTimeFormat('en-GB', { weekday: 'long', day: 'numeric', month: 'long' }).format(from.value)
  const last = plus(to.value, -1)
  const begin = last.getMonth() === from.value.getMonth() ? String(from.value.getDate()) : month(from.value)
  return `${begin} to ${month(last, last.getFullYear() !== now.value.getFullYear())}`
})
const weekday = (d: Date) => new Intl.DateTimeFormat('en-GB', { weekday: 'short', day: 'numeric' }).format(d)
const go = (d: Date) => set({ from: named(d) === today.value ? undefined : named(d) })
/** A window is told whole; what is only due, by when. */
const when = (e: Event) => {
  if (e.all_day) return 'all day'
  const window = new Date(e.end).getTime() - new Date(e.start).getTime() > 900_000
  return (window ? `${clock(new Date(e.start))}–` : '') + clock(dueOf(e))
}
/** What it is, without what the line below says. */
const what = (e: Event) => e.title.split(' · ')[0]
const below = (e: Event) => (e.case ? undefined : e.title.split(' · ')[1]) ?? e.vendor
const value = (e: globalThis.Event) => (e.target as HTMLSelectElement).value
</script>

<template>
  <div class="head">
    <h1 data-testid="agenda-title">{{ title }}</h1>
    <span class="sub"
      ><NButton size="small" aria-label="Earlier" data-testid="earlier" @click="go(plus(from, -days))">←</NButton>
      <NButton size="small" data-testid="now" @click="go(dayOf(now))">Today</NButton>
      <NButton size="small" aria-label="Later" data-testid="later" @click="go(plus(from, days))">→</NButton></span
    >
    <span class="tools">
      <span class="segments">
        <label
          ><input
            type="radio"
            name="view"
            :checked="!wide"
            data-testid="view-day"
            @change="set({ view: 'day' })"
          />Day</label
        >
        <label
          ><input
            type="radio"
            name="view"
            :checked="wide"
            data-testid="view-week"
            @change="set({ view: undefined })"
          />Week</label
        >
      </span>
      <label class="row"
        ><input
          type="checkbox"
          :checked="mine"
          data-testid="agenda-mine"
          @change="set({ whose: mine ? undefined : 'mine' })"
        />
        Mine</label
      >
      <select
        class="in vendor"
        aria-label="Vendor"
        :value="one('vendor') ?? ''"
        data-testid="agenda-vendor"
        @change="(e) => set({ vendor: value(e) || undefined })"
      >
        <option value="">Any vendor</option>
        <option v-for="v in vendors.data.value?.items ?? []" :key="v.key" :value="v.key">{{ v.name }}</option>
      </select>
      <NButton data-testid="subscribe" @click="following = true">Subscribe…</NButton>
    </span>
  </div>
  <p v-if="error" class="problem" role="alert">{{ words(error) }}</p>
  <div class="panel grid" :class="{ wide }" data-testid="agenda">
    <section
      v-for="d in list"
      :key="named(d.date)"
      class="day"
      :class="{ now: named(d.date) === today }"
      :aria-label="weekday(d.date)"
      :data-testid="`day-${named(d.date)}`"
    >
      <h2>{{ weekday(d.date) }}<span v-if="named(d.date) === today" class="hide"> (today)</span></h2>
      <p v-if="d.onRota.length || d.gap" class="rota sub small">
        round the clock: {{ d.onRota.join(', ') }}<template v-if="d.onRota.length && d.gap">; </template
        ><b v-if="d.gap" class="nobody">{{ d.onRota.length ? 'nobody for part of it' : 'nobody' }}</b>
      </p>
      <div v-for="e in d.events" :key="e.uid" class="event" :class="{ over: e.cancelled }" data-testid="event">
        <component
          :is="e.case ? 'RouterLink' : 'div'"
          :to="e.case ? `/cases/${e.case}` : undefined"
          class="what"
          :title="e.title"
        >
          <span class="time"
            ><StandingMark v-if="e.standing" :standing="e.standing" :text="when(e)" /><template v-else>{{
              when(e)
            }}</template></span
          >
          <b>{{ what(e) }}</b>
          <span class="sub small"
            ><template v-if="e.case"
              ><span class="mono">{{ e.case }}</span>
              {{ e.owed ? `owed by ${label('Side', e.owed)}` : '' }} · </template
            >{{ below(e) }}<template v-if="e.cancelled"> · dropped</template></span
          >
        </component>
        <span v-if="e.case && e.item && !e.cancelled && !e.done" class="acts small">
          <button
            v-if="may && e.kind !== 'closing'"
            class="linkish"
            type="button"
            :aria-label="`Move: ${e.title}`"
            data-testid="move-event"
            @click="moving = e"
          >
            Move…
          </button>
          <a
            :href="eventFile(e.case, e.item)"
            :download="`${e.case}-${e.item}.ics`"
            :aria-label="`Calendar file: ${e.title}`"
            >File</a
          >
        </span>
      </div>
      <p v-if="!wide && !d.events.length" class="sub none">Nothing is due on this day.</p>
    </section>
  </div>
  <p v-if="wide && data && !data.events.length" class="sub">Nothing is due this week.</p>
  <p v-if="data?.more" class="sub">There is more than this: narrow it by vendor, or to a day.</p>
  <MoveDialog v-if="moving" :event="moving" @leave="moving = undefined" />
  <FeedsDialog v-if="following" @leave="following = false" />
</template>

<style scoped>
.head {
  display: flex;
  gap: 10px 16px;
  align-items: center;
  flex-wrap: wrap;
  margin-bottom: 12px;
}
.head h1 {
  margin: 0;
}
.tools {
  margin-left: auto;
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
}
.vendor {
  width: auto;
}
.grid.wide {
  display: grid;
  grid-template-columns: repeat(7, minmax(0, 1fr));
  min-height: 420px;
}
.wide .day + .day {
  border-left: 1px solid var(--line2);
}
.day h2 {
  padding: 9px 8px 0;
  margin: 0;
}
.day {
  border-top: 3px solid transparent;
}
.day.now {
  border-top-color: var(--now);
}
.rota {
  padding: 2px 8px 6px;
  margin: 0;
}
.nobody {
  color: var(--late);
}
.event {
  padding: 7px 8px;
  border-top: 1px solid var(--line2);
  overflow-wrap: anywhere;
}
.what {
  display: flex;
  flex-direction: column;
  color: inherit;
  text-decoration: none;
}
.acts {
  display: flex;
  gap: 10px;
}
a.what:hover {
  background: color-mix(in srgb, var(--primary) 5%, var(--panel));
}
.event b {
  font-weight: 600;
}
.over b {
  text-decoration: line-through;
  font-weight: 400;
}
.none {
  padding: 12px;
}
@media (max-width: 900px) {
  .grid.wide {
    grid-template-columns: minmax(0, 1fr);
    min-height: 0;
  }
  .wide .day + .day {
    border-left: 0;
    border-top: 1px solid var(--line2);
  }
  .tools {
    margin-left: 0;
  }
}
</style>
