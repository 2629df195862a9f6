<script setup lang="ts">
import { NButton, NInput, NSelect } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { words as say } from '../shared/api'
import { useCases, type CaseQuery } from './queries'
import { useVendorOptions } from '../vendors/queries'
import { titleOf, useThing } from '../register/things'
import { type KindName } from '../register/fields'
import MoveArrow from '../shared/MoveArrow.vue'
import SeverityPlate from '../shared/SeverityPlate.vue'
import StandingMark from '../shared/StandingMark.vue'
import TimeText from '../shared/TimeText.vue'
import { attrs } from '../shared/attrs'
import { choicesOf, label } from '../shared/words'
import { useFilters } from '../shared/filters'
import PageTurn from '../shared/PageTurn.vue'
import TableDesk from '../exchange/TableDesk.vue'
import { useMe } from '../shared/queries'
import ExistingForm from './ExistingForm.vue'

const me = useMe()
const may = computed(() => me.data.value?.may.includes('work') ?? false)
const adding = ref(false)
const tables = ref(false)
const { one, set } = useFilters()
const many = (k: string) => one(k)?.split(',').filter(Boolean)

const num = (k: string) => Number(one(k)) || undefined
// What of the register the cases are about, where the address says it.
const aboutKind = computed(() => (['asset', 'account', 'contract'] as const).find((k) => num(k)))
const thing = useThing(
  computed(() => (aboutKind.value ? `${aboutKind.value}s` : 'assets') as KindName),
  computed(() => (aboutKind.value ? num(aboutKind.value)! : 0)),
)

const query = computed<CaseQuery>(() => {
  const state = one('state') ?? 'live'
  return {
    unsorted: state === 'unsorted' || undefined,
    state: state === 'all' || state === 'unsorted' ? undefined : (state.split(',') as CaseQuery['state']),
    vendor: many('vendor'),
    kind: many('kind') as CaseQuery['kind'],
    severity: many('severity')
      ?.map(Number)
      .filter((n) => n >= 1 && n <= 4),
    move: one('move') as CaseQuery['move'],
    whose: one('whose') as CaseQuery['whose'],
    no_reference: one('reference') === 'none' || undefined,
    words: one('words'),
    asset: num('asset'),
    account: num('account'),
    contract: num('contract'),
    sort: (one('sort') as CaseQuery['sort']) ?? 'newest',
    cursor: one('after'),
    limit: 50,
  }
})
const { data, error } = useCases(query)

const words = ref(one('words') ?? '')
watch(
  () => one('words'),
  (w) => (words.value = w ?? ''),
)

const states = [
  ...choicesOf('State'),
  { label: 'To be sorted', value: 'unsorted' },
  { label: 'Every state', value: 'all' },
]
const severities = choicesOf('Severity').map((s) => ({ label: `${s.value} ${s.label}`, value: s.value }))
const kinds = choicesOf('CaseKind')
const moves = choicesOf('Side').map((s) => ({ label: `Waiting on ${s.label}`, value: s.value }))
const sorts = choicesOf('CaseSort')
const vendorOptions = useVendorOptions()
const target = (l: { state: string; number: string }) =>
  l.state === 'draft' ? `/open/${l.number}` : `/cases/${l.number}`
</script>

<template>
  <div class="row below head">
    <h1>Cases</h1>
    <span class="sub">of all vendors</span>
    <template v-if="may && !adding"
      ><NButton class="right" data-testid="add-existing" @click="adding = true">Add an existing case</NButton
      ><NButton :aria-expanded="tables" data-testid="tables-open" @click="tables = !tables"
        >Import and export</NButton
      ></template
    >
  </div>
  <ExistingForm v-if="adding" @leave="adding = false" />
  <TableDesk v-if="tables" kind="cases" many="live cases" :may-read="may" @leave="tables = false" />
  <form class="filters" aria-label="Filter the list" @submit.prevent="set({ words })">
    <NInput
      v-model:value="words"
      placeholder="Words, number, reference"
      clearable
      :input-props="attrs({ 'aria-label': 'Words, number or reference', 'data-testid': 'words' })"
      @clear="set({ words: '' })"
    />
    <label
      ><span class="hide">State</span
      ><NSelect
        :value="one('state') ?? 'live'"
        :options="states"
        :input-props="attrs({ 'aria-label': 'State' })"
        data-testid="state"
        :menu-props="attrs({ 'data-testid': 'state-menu' })"
        :node-props="(o) => attrs({ 'data-testid': 'state-opt-' + o.value })"
        @update:value="(v: string) => set({ state: v })"
    /></label>
    <label
      ><span class="hide">Vendor</span
      ><NSelect
        multiple
        :value="many('vendor') ?? []"
        :options="vendorOptions"
        placeholder="Any vendor"
        max-tag-count="responsive"
        @update:value="(v: string[]) => set({ vendor: v.join(',') })"
    /></label>
    <label
      ><span class="hide">Kind</span
      ><NSelect
        multiple
        :value="many('kind') ?? []"
        :options="kinds"
        placeholder="Any kind"
        max-tag-count="responsive"
        data-testid="kind"
        :menu-props="attrs({ 'data-testid': 'kind-menu' })"
        :node-props="(o) => attrs({ 'data-testid': 'kind-opt-' + o.value })"
        @update:value="(v: string[]) => set({ kind: v.join(',') })"
    /></label>
    <label
      ><span class="hide">Severity</span
      ><NSelect
        multiple
        :value="many('severity') ?? []"
        :options="severities"
        placeholder="Any severity"
        max-tag-count="responsive"
        @update:value="(v: string[]) => set({ severity: v.join(',') })"
    /></label>
    <label
      ><span class="hide">Waiting on</span
      ><NSelect
        clearable
        :value="one('move') ?? null"
        :options="moves"
        placeholder="Waiting on anyone"
        @update:value="(v: string | null) => set({ move: v ?? '' })"
    /></label>
    <label
      ><span class="hide">Sort by</span
      ><NSelect :value="one('sort') ?? 'newest'" :options="sorts" @update:value="(v: string) => set({ sort: v })"
    /></label>
    <span class="toggles">
      <NButton
        :type="one('whose') === 'mine' ? 'primary' : 'default'"
        :aria-pressed="one('whose') === 'mine'"
        @click="set({ whose: one('whose') === 'mine' ? '' : 'mine' })"
        >Mine</NButton
      >
      <NButton
        :type="one('reference') === 'none' ? 'primary' : 'default'"
        :aria-pressed="one('reference') === 'none'"
        data-testid="no-reference"
        @click="set({ reference: one('reference') === 'none' ? '' : 'none' })"
        >No reference yet</NButton
      >
    </span>
  </form>
  <p v-if="aboutKind" class="about" data-testid="about">
    {{ { asset: 'Only cases of', account: 'Only cases in account', contract: 'Only cases under contract' }[aboutKind] }}
    <RouterLink :to="`/register/${aboutKind}s/${num(aboutKind)}`"
      ><b>{{ thing.data.value ? titleOf(thing.data.value.data) : '…' }}</b></RouterLink
    >{{ ' ' }}
    <button class="linkish" type="button" @click="set({ [aboutKind]: '' })">remove this filter</button>
  </p>
  <p v-if="error" class="problem" role="alert">{{ say(error) }}</p>
  <div v-if="data && data.items.length === 0" class="panel roomy">
    <p><b>No matching cases.</b></p>
    <p class="sub">
      Remove a filter, show
      <RouterLink :to="{ name: 'cases', query: { state: 'all' } }">cases in every state</RouterLink>, or
      <RouterLink to="/open">open a case</RouterLink>.
    </p>
  </div>
  <div v-else-if="data" class="panel wide">
    <table class="list">
      <thead>
        <tr class="small">
          <th scope="col"><span class="hide">Severity</span></th>
          <th scope="col">Case</th>
          <th scope="col">Title</th>
          <th scope="col">Vendor</th>
          <th scope="col">Vendor ref</th>
          <th scope="col">State</th>
          <th scope="col">Standing</th>
          <th scope="col">Due</th>
          <th scope="col">Waiting on</th>
          <th scope="col">Last vendor reply</th>
          <th scope="col">Owner</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="l in data.items" :key="l.number" data-testid="case-row">
          <td><SeverityPlate :severity="l.severity" :word="l.severity_word" /></td>
          <td>
            <RouterLink class="mono" data-walk :to="target(l)">{{ l.number }}</RouterLink>
          </td>
          <td class="cut title" :title="l.title">
            <b>{{ l.title }}</b><span v-if="l.unread" class="new">{{ l.unread }} new</span>
          </td>
          <td class="cut">{{ l.vendor }}</td>
          <td class="mono cut aside">{{ l.reference ?? '' }}</td>
          <td>{{ label('State', l.state) }}</td>
          <td class="stand"><StandingMark :standing="l.standing" /></td>
          <td><TimeText :at="l.due" /></td>
          <td><MoveArrow :move="l.move" /></td>
          <td class="sub aside"><TimeText :at="l.last_vendor_at" /></td>
          <td class="sub aside" :title="l.owner">{{ l.owner_initials }}</td>
        </tr>
      </tbody>
    </table>
  </div>
  <PageTurn :next="data?.next" />
</template>

<style scoped>
.head {
  flex-wrap: wrap;
}
.about {
  margin-bottom: 10px;
}
.filters {
  display: grid;
  grid-template-columns: minmax(130px, 1.2fr) 110px minmax(120px, 1fr) minmax(120px, 0.8fr) 155px 150px auto;
  gap: 8px;
  margin-bottom: 14px;
}
.toggles {
  display: flex;
  gap: 8px;
}
table {
  min-width: 1080px;
}
.new {
  margin-left: 8px;
  color: var(--brass);
  font-weight: 600;
}
th:nth-child(1) {
  width: 40px;
}
th:nth-child(2) {
  width: 80px;
}
th:nth-child(4) {
  width: 172px;
}
th:nth-child(5) {
  width: 116px;
}
th:nth-child(6) {
  width: 92px;
}
th:nth-child(7) {
  width: 98px;
}
th:nth-child(8) {
  width: 112px;
}
th:nth-child(9) {
  width: 82px;
}
th:nth-child(10) {
  width: 118px;
}
th:nth-child(11) {
  width: 48px;
}
@media (max-width: 900px) {
  .filters {
    grid-template-columns: 1fr 1fr;
  }
  .toggles {
    grid-column: 1 / -1;
  }
}
@media (max-width: 600px) {
  table {
    min-width: 0;
  }
  thead,
  .aside {
    display: none;
  }
  tr {
    display: grid;
    grid-template-columns: 24px 66px minmax(0, 1fr) auto;
    gap: 4px 10px;
    align-items: center;
    padding: 8px 12px;
    border-top: 1px solid var(--line2);
  }
  tbody td {
    padding: 0;
    border: 0;
    height: auto;
  }
  .stand {
    grid-area: 1 / 4;
  }
  .title {
    grid-area: 2 / 1 / 3 / -1;
    white-space: normal;
  }
  .title + td {
    grid-column: 1 / 4;
  }
  .title + td + td + td,
  .stand ~ td + td {
    text-align: right;
  }
  .stand ~ td {
    grid-column: span 2;
  }
}
</style>
