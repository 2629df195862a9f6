<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { client, ok, words, type Schemas } from '../shared/api'
import { useFilters } from '../shared/filters'
import { full, short, useClock } from '../shared/time'
import SeverityPlate from '../shared/SeverityPlate.vue'
import StandingMark from '../shared/StandingMark.vue'
import TimeText from '../shared/TimeText.vue'

// What somebody needs to know who comes on: what happened, what is late, what falls due, who has what.
const { one, set } = useFilters()
const now = useClock()
const spans = [
  { value: '4', label: 'The last 4 hours' },
  { value: '8', label: 'The last 8 hours' },
  { value: '12', label: 'The last 12 hours' },
  { value: '24', label: 'The last day' },
  { value: '72', label: 'The last 3 days' },
  { value: '168', label: 'The last week' },
]
const hours = computed(() => (spans.some((s) => s.value === one('hours')) ? Number(one('hours')) : 24))
const { data, error } = useQuery({
  queryKey: ['today', 'digest', hours],
  queryFn: () => {
    const since = new Date(now.value.getTime() - hours.value * 3_600_000).toISOString()
    return ok(client.GET('/digest', { params: { query: hours.value === 24 ? {} : { since } } }))
  },
  refetchInterval: 60_000,
  placeholderData: keepPreviousData,
})
const parts = computed((): { key: string; title: string; none: string; list: Schemas['DueMark'][] }[] =>
  data.value
    ? [
        { key: 'late', title: 'Late', none: 'Nothing is late.', list: data.value.late },
        {
          key: 'due',
          title: `Due by ${short(data.value.until, now.value)}`,
          none: 'Nothing falls due by then.',
          list: data.value.due,
        },
      ]
    : [],
)
const print = () => window.print()
</script>

<template>
  <div class="row below head">
    <h1>Shift handover</h1>
    <span v-if="data" class="sub">{{ full(data.as_of) }}</span>
    <select
      class="in span"
      aria-label="What happened in"
      data-testid="span"
      :value="String(hours)"
      @change="set({ hours: ($event.target as HTMLSelectElement).value })"
    >
      <option v-for="s in spans" :key="s.value" :value="s.value">{{ s.label }}</option>
    </select>
    <button class="linkish" type="button" @click="print">Print</button>
  </div>
  <p v-if="error" class="problem" role="alert">{{ words(error) }}</p>
  <template v-if="data">
    <section aria-label="What happened" data-testid="happened">
      <h2>What happened</h2>
      <p v-if="!data.happened.length" class="sub">Nothing since <TimeText :at="data.since" />.</p>
      <ul>
        <li v-for="x in data.happened" :key="x.case">
          <SeverityPlate :severity="x.severity" />
          <RouterLink class="mono" :to="`/cases/${x.case}`">{{ x.case }}</RouterLink>
          <span
            ><b>{{ x.title }}</b> <span class="sub">{{ x.vendor }}</span></span
          >
          <span class="what">{{ x.what.join(', ') }}</span>
        </li>
      </ul>
      <p v-if="data.more" class="sub">More has happened than is listed here.</p>
    </section>
    <section v-for="p in parts" :key="p.key" :aria-label="p.title" :data-testid="p.key">
      <h2>{{ p.title }}</h2>
      <p v-if="!p.list.length" class="sub">{{ p.none }}</p>
      <ul>
        <li v-for="(x, i) in p.list" :key="i">
          <SeverityPlate :severity="x.mark.severity" />
          <RouterLink class="mono" :to="`/cases/${x.mark.case}`">{{ x.mark.case }}</RouterLink>
          <span
            ><b>{{ x.mark.title }}</b> <span class="sub">{{ x.vendor }}</span></span
          >
          <span class="what"
            >{{ x.mark.what }} · <TimeText :at="x.mark.at" />{{ ' ' }} <StandingMark :standing="x.mark.standing"
          /></span>
        </li>
      </ul>
    </section>
    <section aria-label="Who has what" data-testid="held">
      <h2>Who has what</h2>
      <p v-if="!data.held.length" class="sub">There are no live cases.</p>
      <div v-else class="wide">
        <table class="list tn">
          <thead>
            <tr class="small">
              <th scope="col">Owner</th>
              <th scope="col">Live</th>
              <th scope="col">Waiting on us</th>
              <th scope="col">Severity 1 and 2</th>
              <th scope="col">Late</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="x in data.held" :key="x.name">
              <td>{{ x.name || 'Nobody' }}</td>
              <td>{{ x.live }}</td>
              <td>{{ x.on_us }}</td>
              <td>{{ x.severe }}</td>
              <td>{{ x.late }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </section>
  </template>
</template>

<style scoped>
.head {
  flex-wrap: wrap;
}
.span {
  width: auto;
  height: 32px;
}
section {
  margin-bottom: 20px;
}
ul {
  list-style: none;
  margin: 6px 0 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 24px 66px minmax(0, 1fr) minmax(0, 1fr);
  gap: 10px;
  align-items: center;
  padding: 6px 0;
  border-top: 1px solid var(--line2);
}
table {
  max-width: 640px;
}
@media (max-width: 700px) {
  li {
    grid-template-columns: 24px 66px minmax(0, 1fr);
  }
  .what {
    grid-column: 1 / -1;
  }
}
</style>
