<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'
import { words as say } from '../shared/api'
import { useCases, type CaseQuery } from './queries'
import { titleOf, useThing } from '../register/things'
import { type KindName } from '../register/fields'
import AsItStood from '../shared/AsItStood.vue'
import { useMoment } from '../shared/moment'
import CaseCell from './CaseCell.vue'
import CaseFilters from './CaseFilters.vue'
import ViewsBar from './ViewsBar.vue'
import { hours, kept, usualColumns, type Column } from './views'
import { choicesOf, label } from '../shared/words'
import { useFilters } from '../shared/filters'
import PageTurn from '../shared/PageTurn.vue'
import TableDesk from '../exchange/TableDesk.vue'
import { useMe } from '../shared/queries'
import { now } from '../shared/time'
import ExistingForm from './ExistingForm.vue'

const me = useMe()
const may = computed(() => me.data.value?.may.includes('work') ?? false)
const adding = ref(false)
const tables = ref(false)
const { one, set } = useFilters()
const many = (k: string) => one(k)?.split(',').filter(Boolean)

const { moment, query: stood, stand } = useMoment()
const past = computed(() => !!moment.value.at)
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
const severities = () =>
  many('severity')
    ?.map(Number)
    .filter((n) => n >= 1 && n <= 4)
const query = computed<CaseQuery>(() => {
  const state = one('state') ?? 'live'
  if (past.value)
    return {
      ...moment.value,
      state: state === 'all' || state === 'unsorted' ? undefined : (state.split(',') as CaseQuery['state']),
      vendor: many('vendor'),
      severity: severities(),
      whose: one('person') ? 'person' : undefined,
      person: one('person'),
      limit: 200,
    }
  return {
    unsorted: state === 'unsorted' || undefined,
    state: state === 'all' || state === 'unsorted' ? undefined : (state.split(',') as CaseQuery['state']),
    vendor: many('vendor'),
    kind: many('kind') as CaseQuery['kind'],
    severity: severities(),
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
    <button v-if="!past" class="linkish small" type="button" data-testid="stand" @click="stand">As it stood…</button>
    <template v-if="may && !adding && !past"
      ><NButton class="right" data-testid="add-existing" @click="adding = true">Add an existing case</NButton
      ><NButton :aria-expanded="tables" data-testid="tables-open" @click="tables = !tables"
        >Import and export</NButton
      ></template
    >
  </div>
  <ExistingForm v-if="adding" @leave="adding = false" />
  <TableDesk v-if="tables" kind="cases" many="live cases" :may-read="may" @leave="tables = false" />
  <AsItStood />
  <CaseFilters :past="past" />
  <ViewsBar
    v-if="!past"
    :query="asKept"
    :columns="cols"
    :view="one('view')"
    @columns="(c) => set({ cols: c.join() === usualColumns.join() ? '' : c.join(',') })"
  />
  <p v-if="aboutKind && !past" class="about" data-testid="about">
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
            <CaseCell :column="c" :line="l" :stood="stood" />
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <p v-if="data?.more" class="sub">There are more than these: narrow the list.</p>
  <PageTurn :next="data?.next" />
</template>

<style scoped>
.head {
  flex-wrap: wrap;
}
.about {
  margin-bottom: 10px;
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
  width: 164px;
}
.c-reference {
  width: 116px;
}
.c-standing {
  width: 98px;
}
.c-state,
.c-waiting {
  width: 90px;
}
.c-owner,
.c-new,
.c-unread {
  width: 56px;
}
/* "Mon 30 Nov, 16:30" */
.c-due,
.c-next,
.c-opened,
.c-changed,
.c-last_vendor_reply,
.c-parked_until,
.c-waiting_since {
  width: 136px;
}
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
