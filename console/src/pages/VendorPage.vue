<script setup lang="ts">
import { computed, toRef } from 'vue'
import { useRoute } from 'vue-router'
import { words } from '../data/api'
import { useVendor } from '../data/queries'
import { clock, full, short, useClock } from '../data/time'

const route = useRoute()
const { data, error } = useVendor(toRef(() => String(route.params.key)))
const now = useClock()
const days = ['mon', 'tue', 'wed', 'thu', 'fri', 'sat', 'sun']
const hours = computed(() => data.value?.hours.map((h) => ({ ...h, lines: h.always ? ['round the clock'] : days.filter((d) => h.week?.[d]?.length).map((d) => `${d} ${h.week?.[d]?.join(', ')}`) })))
</script>

<template>
  <p v-if="error" class="problem" role="alert">{{ words(error) }}</p>
  <template v-if="data">
    <div class="row" style="align-items: baseline; flex-wrap: wrap">
      <h1>{{ data.name }}</h1>
      <span class="sub tn">{{ clock(now, data.zone) }} there, {{ data.open ? 'open' : 'closed' }}<template v-if="data.until"> till {{ short(data.until, now, data.zone) }}</template></span>
      <RouterLink style="margin-left: auto" :to="{ name: 'cases', query: { vendor: data.key } }">{{ data.live_cases }} live cases</RouterLink>
    </div>
    <p class="sub">{{ data.does }}</p>
    <div class="cols">
      <section>
        <h2>Levels</h2>
        <div v-for="l in data.levels" :key="l.rank" class="panel level">
          <p><b>{{ l.label }}</b> <span class="sub">{{ l.severities.length ? 'our severity ' + l.severities.join(', ') : 'chosen by hand' }}</span></p>
          <p>{{ l.meaning }}</p>
          <p v-for="c in l.criteria" :key="c.id" class="sub">To attest: {{ c.text }}</p>
          <p v-if="l.round_the_clock" class="sub">Needs a contact round the clock.</p>
        </div>
      </section>
      <section>
        <template v-for="k in data.contracts" :key="k.number">
          <h2>Contract <span class="mono">{{ k.number }}</span></h2>
          <p class="sub small">{{ k.starts_on }} to {{ k.ends_on }}. On a change of level: {{ k.on_change }}. While the move is ours their clocks {{ k.while_ours === 'run' ? 'run on' : 'pause' }}.</p>
          <div class="panel"><table>
            <thead><tr class="small sub"><th scope="col">Level</th><th scope="col">Promise</th><th scope="col">Within</th><th scope="col">Counted in</th></tr></thead>
            <tbody><tr v-for="t in [...k.terms].sort((a, b) => a.rank - b.rank)" :key="t.deadline + t.rank"><td>{{ t.label }}</td><td>{{ t.deadline }}</td><td class="tn">{{ t.target }}</td><td class="sub">{{ t.calendar }}</td></tr></tbody>
          </table></div>
        </template>
        <h2 style="margin-top: 18px">Hours</h2>
        <p v-for="h in hours" :key="h.name"><b>{{ h.name }}</b> <span class="sub">{{ h.zone }}</span><br />{{ h.lines.join(' · ') }}<template v-if="h.closed?.length"><br /><span class="sub small">closed on {{ h.closed.join(', ') }}</span></template></p>
        <template v-if="data.link">
          <h2 style="margin-top: 18px">Link</h2>
          <p class="mono">{{ data.link.address }}</p>
          <p v-if="data.link.failing_since" class="problem">Fails since {{ full(data.link.failing_since) }}: {{ data.link.problem }}. What is to be sent waits; nothing is lost.</p>
          <p v-else class="sub">Last looked at {{ full(data.link.last_look_at) }}</p>
        </template>
      </section>
    </div>
  </template>
</template>

<style scoped>
.cols { display: grid; grid-template-columns: 1fr 1fr; gap: 28px; margin-top: 18px; }
h2 { margin-bottom: 6px; }
.level { padding: 10px 14px; margin-bottom: 8px; }
table { width: 100%; border-collapse: collapse; }
th { text-align: left; font-weight: 400; padding: 5px 12px; }
td { padding: 5px 12px; border-top: 1px solid var(--line2); }
@media (max-width: 900px) { .cols { grid-template-columns: 1fr; } }
</style>
