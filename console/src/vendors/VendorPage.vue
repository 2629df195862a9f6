<script setup lang="ts">
import PapersPart from '../files/PapersPart.vue'
import { useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, ref, toRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { client, newKey, ok, whole, words, type Schemas } from '../shared/api'
import { useMe } from '../shared/queries'
import { useVendor } from './queries'
import type { Members } from '../register/things'
import { byChannel, choicesOf, inline, label, target, weekWords } from '../shared/words'
import { clock, full, short, span, took, useClock } from '../shared/time'
import FactEditor from '../register/FactEditor.vue'
import FactSheet from '../register/FactSheet.vue'
import VendorSecrets from '../secrets/VendorSecrets.vue'

const route = useRoute()
const { data, error } = useVendor(
  toRef(() => String(route.params.key)),
  computed(() => route.params.key !== 'new'),
)
const now = useClock()
const router = useRouter()
const queries = useQueryClient()
const me = useMe()
const fresh = computed(() => route.params.key === 'new')
const editing = ref(fresh.value)
const etag = ref('')
async function edit() {
  const now = await whole(client.GET('/vendors/{vendor}', { params: { path: { vendor: data.value!.key } } }))
  etag.value = now.etag
  queries.setQueryData(['vendor', String(route.params.key)], now.data) // the form begins with what the tag stands for
  editing.value = true
}
const facts = computed(() => (data.value?.facts ?? {}) as unknown as Members)
const check = (members: Members) =>
  ok(
    client.POST('/check', {
      body: { kind: 'vendor', vendor: fresh.value ? undefined : String(route.params.key), facts: members },
    }),
  )
const made = ref('')
async function keep(members: Members) {
  if (fresh.value)
    made.value = (
      await ok(
        client.POST('/vendors', {
          params: { header: { 'Idempotency-Key': newKey() } },
          body: members as Schemas['VendorFacts'],
        }),
      )
    ).key
  else
    await ok(
      client.PATCH('/vendors/{vendor}', {
        params: { path: { vendor: data.value!.key }, header: { 'If-Match': etag.value } },
        body: members,
        headers: { 'Content-Type': 'application/merge-patch+json' },
      }),
    )
}
async function kept() {
  for (const key of ['vendors', 'vendor']) void queries.invalidateQueries({ queryKey: [key] })
  editing.value = false
  if (made.value) await router.replace(`/vendors/${made.value}`)
}
const order = choicesOf('DeadlineKind').map((k) => k.value)
const today = computed(() => now.value.toISOString().slice(0, 10))
const hours = computed(() =>
  data.value?.hours.map((h) => ({
    ...h,
    lines: h.always ? ['round the clock'] : weekWords(h.week),
  })),
)
</script>

<template>
  <p v-if="error" class="problem" role="alert">{{ words(error) }}</p>
  <template v-if="fresh">
    <h1>New vendor</h1>
    <FactEditor
      kind="vendors"
      fresh
      :start="{}"
      :check="check"
      :keep="keep"
      @kept="kept"
      @leave="router.push('/vendors')"
    />
  </template>
  <template v-else-if="data">
    <div class="row base wraps">
      <h1>{{ data.name }}</h1>
      <span class="sub tn"
        >{{ clock(now, data.zone) }} local time, {{ data.open ? 'open' : 'closed'
        }}<template v-if="data.until"> until {{ short(data.until, now, data.zone) }}</template></span
      >
      <RouterLink class="right" :to="{ name: 'cases', query: { vendor: data.key } }">{{
        data.live_cases === 1 ? '1 live case' : `${data.live_cases} live cases`
      }}</RouterLink>
      <NButton
        v-if="me.data.value?.may.includes('work') && !editing"
        data-testid="open-here"
        @click="router.push(`/open?vendor=${data.key}`)"
        >Open a case</NButton
      >
      <NButton v-if="me.data.value?.may.includes('vendors') && !editing" data-testid="edit" @click="edit"
        >Change vendor</NButton
      >
    </div>
    <p class="sub">{{ data.does }}</p>
    <p class="row small links">
      <RouterLink
        v-for="k in ['assets', 'contracts', 'accounts', 'products']"
        :key="k"
        :to="{ name: 'register', params: { kind: k }, query: { vendor: data.key } }"
        >{{ label('TableKind', k) }}</RouterLink><a
        v-if="data.facts?.people?.length"
        :href="`/api/v1/vendors/${data.key}/people`"
        :download="`${data.key}.vcf`"
        >People as contact cards</a
      ><a :href="`/api/v1/vendors/${data.key}/pack`" :download="`${data.key}.yaml`" data-testid="pack"
        >Export as a pack</a
      >
    </p>
    <FactEditor
      v-if="editing"
      kind="vendors"
      :start="facts"
      :check="check"
      :keep="keep"
      @kept="kept"
      @leave="editing = false"
    />
    <div v-else class="cols">
      <section>
        <h2>Levels</h2>
        <div v-for="l in data.levels" :key="l.rank" class="panel level">
          <p>
            <b>{{ l.label }}</b>{{ ' ' }}
            <span class="sub">{{
              l.severities.length ? 'severity ' + l.severities.join(', ') : 'no severity maps to it'
            }}</span>
          </p>
          <p>{{ l.meaning }}</p>
          <p v-for="c in l.criteria" :key="c.id" class="sub">Condition: {{ c.text }}</p>
          <p v-if="l.channels?.length" class="sub">Only {{ l.channels.map(byChannel).join(' or ') }}.</p>
          <p v-if="l.round_the_clock" class="sub">Needs a contact round the clock.</p>
        </div>
        <template v-if="data.waits?.length">
          <h2>Promised and actual</h2>
          <p class="sub small">In the last year, in covered time.</p>
          <div class="panel wide" data-testid="waits">
            <table>
              <thead>
                <tr class="small sub">
                  <th scope="col">Filed by</th>
                  <th scope="col">Deadline</th>
                  <th scope="col">Cases</th>
                  <th scope="col">Promised</th>
                  <th scope="col">Half took up to</th>
                  <th scope="col">Nine of ten</th>
                  <th scope="col">Late</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="w in data.waits" :key="w.channel + w.deadline" class="tn">
                  <td>{{ label('Channel', w.channel) }}</td>
                  <td>{{ label('DeadlineKind', w.deadline) }}</td>
                  <td>{{ w.cases }}</td>
                  <td>{{ span(w.promised_seconds) }}</td>
                  <td>{{ took(w.real_seconds) }}</td>
                  <td>{{ took(w.slowest_seconds) }}</td>
                  <td>{{ w.late }}</td>
                </tr>
              </tbody>
            </table>
          </div>
        </template>
        <VendorSecrets :vendor="data.key" />
      </section>
      <section>
        <template v-for="k in data.contracts" :key="k.number">
          <h2 class="contract">
            Contract <RouterLink class="mono" :to="`/register/contracts/${k.id}`">{{ k.number }}</RouterLink>{{ ' ' }}
            <span v-if="k.ends_on < today" class="sub">ended</span>
          </h2>
          <p class="sub small">
            {{ k.starts_on }} to {{ k.ends_on }}. Clocks on a level change:
            {{ inline(label('Contract.on_change', k.on_change)) }}; while waiting on us:
            {{ inline(label('Contract.while_ours', k.while_ours)) }}.
          </p>
          <p v-if="!k.terms.length" class="sub">It has no targets.</p>
          <div v-else class="panel">
            <table>
              <thead>
                <tr class="small sub">
                  <th scope="col">Level</th>
                  <th scope="col">Deadline</th>
                  <th scope="col">Target</th>
                  <th scope="col">Calendar</th>
                </tr>
              </thead>
              <tbody>
                <tr
                  v-for="t in [...k.terms].sort(
                    (a, b) => a.rank - b.rank || order.indexOf(a.deadline) - order.indexOf(b.deadline),
                  )"
                  :key="[t.deadline, t.rank, t.kind, t.channel, t.country].join()"
                >
                  <td>{{ t.label }}</td>
                  <td>
                    {{ label('DeadlineKind', t.deadline)
                    }}<span v-if="t.kind || t.channel || t.country" class="sub small"
                      ><br />only
                      {{
                        [
                          t.kind && `for kind ${label('CaseKind', t.kind)}`,
                          t.channel && byChannel(t.channel),
                          t.country && 'in ' + t.country,
                        ]
                          .filter(Boolean)
                          .join(', ')
                      }}</span
                    >
                  </td>
                  <td class="tn">{{ target(t.target) }}</td>
                  <td class="sub">{{ t.calendar }}</td>
                </tr>
              </tbody>
            </table>
          </div>
        </template>
        <h2 class="far">Hours</h2>
        <p v-for="h in hours" :key="h.name">
          <b>{{ h.name }}</b> <span class="sub">{{ h.zone }}</span><br />{{ h.lines.join(' · ')
          }}<template v-if="h.closed?.length"
            ><br /><span class="sub small">closed on {{ [...h.closed].sort().join(', ') }}</span></template
          >
        </p>
        <template v-for="l in data.links ?? []" :key="l.name">
          <h2 class="far">
            Link<template v-if="data.links!.length > 1"> {{ l.name }}</template>
          </h2>
          <p class="mono">{{ l.address }}</p>
          <p v-if="l.failing_since" class="problem">
            Failing since {{ full(l.failing_since) }}: {{ l.problem }}. Messages wait until it works again; nothing is
            lost.
          </p>
          <p v-else class="sub">Last checked {{ full(l.last_look_at) }}</p>
        </template>
      </section>
    </div>
    <FactSheet
      v-if="!editing"
      kind="vendors"
      :facts="facts"
      :levels="data.levels"
      :without="['name', 'does', 'zone', 'hours', 'levels']"
    />
    <PapersPart
      v-if="!editing"
      :key="data.key"
      kind="vendor"
      :owner="data.key"
      :may="me.data.value?.may.includes('vendors') ?? false"
    />
  </template>
</template>

<style scoped>
.links {
  gap: 14px;
  margin-top: 4px;
  flex-wrap: wrap;
}
.cols {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 28px;
  margin-top: 18px;
}
.cols > section {
  min-width: 0;
}
h2 {
  margin-bottom: 6px;
}
.contract {
  margin-top: 18px;
}
section > .contract:first-child {
  margin-top: 0;
}
.level {
  padding: 10px 14px;
  margin-bottom: 8px;
}
table {
  width: 100%;
  border-collapse: collapse;
}
th {
  text-align: left;
  font-weight: 400;
  padding: 5px 12px;
}
td {
  padding: 5px 12px;
  border-top: 1px solid var(--line2);
}
@media (max-width: 900px) {
  .cols {
    grid-template-columns: 1fr;
  }
}
</style>
