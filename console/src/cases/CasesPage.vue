<script setup lang="ts">
import { NButton, NInput, NSelect } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { words as say } from '../shared/api'
import { useCases, type CaseQuery } from './queries'
import { useVendorOptions } from '../vendors/queries'
import { titleOf, useThing } from '../register/things'
import { type KindName } from '../register/fields'
import CaseCell from './CaseCell.vue'
import ViewsBar from './ViewsBar.vue'
import { hours, kept, usualColumns, type Column } from './views'
import { attrs } from '../shared/attrs'
import { choicesOf, label } from '../shared/words'
import { useFilters } from '../shared/filters'
import PageTurn from '../shared/PageTurn.vue'
import TableDesk from '../exchange/TableDesk.vue'
import { useOwners } from '../people/queries'
import { useMe } from '../shared/queries'
import { now } from '../shared/time'
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

/** The instant that an address means by 8h, from now. */
const before = (h: string | undefined) => {
  const n = hours(h) ?? 0
  return n > 0 ? new Date(Math.ceil(now().getTime() / 60_000 + n * 60) * 60_000).toISOString() : undefined
}
const shows = [
  { value: '', label: 'Everything' },
  { value: 'late', label: 'Late' },
  { value: 'unread', label: 'Unread' },
  { value: 'not-confirmed', label: 'Not confirmed in time' },
]
const within = (what: string) => [
  { value: '', label: `${what} at any time` },
  { value: '8h', label: `${what} within 8 hours` },
  { value: '24h', label: `${what} within a day` },
  { value: '168h', label: `${what} within a week` },
]
const parts = choicesOf('DeskPart').filter((p) => p.value !== 'person')
const owners = useOwners()
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
    whose: (one('person') ? 'person' : one('whose')) as CaseQuery['whose'],
    person: one('person'),
    late: one('show') === 'late' || undefined,
    unread: one('show') === 'unread' || undefined,
    not_confirmed: one('show') === 'not-confirmed' || undefined,
    origin: one('origin') as CaseQuery['origin'],
    next_before: before(one('next')),
    due_before: before(one('due')),
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
const picks = [
  { key: 'show', label: 'Only', options: shows },
  { key: 'next', label: 'Asks for attention', options: within('Next') },
  { key: 'due', label: 'Due', options: within('Due') },
  { key: 'origin', label: 'Opened by', options: [{ value: '', label: 'Opened by anybody' }, ...choicesOf('Origin')] },
]
function pickWhose(v: string) {
  const person = v.startsWith('person:') ? v.slice('person:'.length) : ''
  set({ person, whose: person || v === 'desk' ? '' : v })
}
// The columns chosen, in the address too; on a narrow window those that tell a case.
const columns = choicesOf('CaseColumn').map((c) => c.value as Column)
const cols = computed(() => {
  const chosen = (many('cols') ?? []).filter((c): c is Column => columns.includes(c as Column))
  return chosen.length ? chosen : usualColumns
})
const narrow: Column[] = ['severity', 'case', 'title', 'vendor', 'standing', 'due', 'waiting']
const asKept = computed(() => kept(query.value, { next: one('next'), due: one('due') }))
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
      <select
        class="in"
        aria-label="Whose cases"
        data-testid="whose"
        :value="one('person') ? 'person:' + one('person') : (one('whose') ?? 'desk')"
        @change="pickWhose(($event.target as HTMLSelectElement).value)"
      >
        <option v-for="p in parts" :key="p.value" :value="p.value">{{ p.label }}</option>
        <option v-for="p in owners" :key="p.value" :value="'person:' + p.value">{{ p.label }}</option>
      </select>
      <select
        v-for="f in picks"
        :key="f.key"
        class="in"
        :aria-label="f.label"
        :data-testid="'pick-' + f.key"
        :value="one(f.key) ?? ''"
        @change="set({ [f.key]: ($event.target as HTMLSelectElement).value })"
      >
        <option v-for="o in f.options" :key="o.value" :value="o.value">{{ o.label }}</option>
      </select>
      <NButton
        :type="one('reference') === 'none' ? 'primary' : 'default'"
        :aria-pressed="one('reference') === 'none'"
        data-testid="no-reference"
        @click="set({ reference: one('reference') === 'none' ? '' : 'none' })"
        >No reference yet</NButton
      >
    </span>
  </form>
  <ViewsBar
    :query="asKept"
    :columns="cols"
    :view="one('view')"
    @columns="(c) => set({ cols: c.join() === usualColumns.join() ? '' : c.join(',') })"
  />
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
          <th v-for="c in cols" :key="c" scope="col" :class="'c-' + c">
            <span :class="{ hide: c === 'severity' }">{{ label('CaseColumn', c) }}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="l in data.items" :key="l.number" data-testid="case-row">
          <td v-for="c in cols" :key="c" class="cut" :class="['c-' + c, { aside: !narrow.includes(c) }]">
            <CaseCell :column="c" :line="l" />
          </td>
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
  grid-template-columns: minmax(130px, 1.4fr) 130px minmax(130px, 1fr) minmax(130px, 1fr) 155px 150px 150px;
  gap: 8px;
  margin-bottom: 14px;
}
.toggles {
  display: flex;
  gap: 8px;
  grid-column: 1 / -1;
  flex-wrap: wrap;
}
.toggles > .in {
  width: auto;
  height: 34px;
}
table {
  min-width: 1080px;
}
.c-severity {
  width: 40px;
}
.c-case {
  width: 80px;
}
.c-title {
  width: auto;
}
.c-vendor {
  width: 172px;
}
.c-reference {
  width: 116px;
}
.c-state,
.c-standing {
  width: 98px;
}
.c-waiting {
  width: 96px;
}
.c-owner,
.c-new,
.c-unread {
  width: 60px;
}
.c-due,
.c-next,
.c-opened,
.c-changed,
.c-last_vendor_reply,
.c-parked_until,
.c-waiting_since,
.c-kind,
.c-level,
.c-deadline {
  width: 118px;
}
.c-summary {
  width: 200px;
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
    width: auto;
  }
  .c-severity {
    grid-area: 1 / 1;
  }
  .c-case {
    grid-area: 1 / 2;
  }
  .c-standing {
    grid-area: 1 / 4;
  }
  .c-title {
    grid-area: 2 / 1 / 3 / -1;
    white-space: normal;
  }
  .c-vendor {
    grid-area: 3 / 1 / 4 / 4;
  }
  .c-due {
    grid-area: 3 / 4;
    text-align: right;
  }
  .c-waiting {
    grid-area: 4 / 1 / 5 / -1;
  }
}
</style>
