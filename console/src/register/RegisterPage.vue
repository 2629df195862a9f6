<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { words as say } from '../shared/api'
import { useFilters } from '../shared/filters'
import PageTurn from '../shared/PageTurn.vue'
import { useMe } from '../shared/queries'
import { choicesOf, label } from '../shared/words'
import { useVendors } from '../vendors/queries'
import { act, left, singular, titleOf, useThings, type Thing, type ThingQuery } from './things'
import { type KindName } from './fields'
import CoverMark from './CoverMark.vue'
import RegisterHead from './RegisterHead.vue'
import TableDesk from '../exchange/TableDesk.vue'

const route = useRoute()
const router = useRouter()
const vendors = useVendors()
const me = useMe()
const tables = ref(false)
const tabs: [KindName, string][] = [
  ['assets', 'Assets'],
  ['contracts', 'Contracts'],
  ['accounts', 'Accounts'],
  ['products', 'Products'],
]
const kind = computed(() => route.params.kind as KindName)
const { one, set } = useFilters()
const query = computed<ThingQuery>(() => ({
  vendor: one('vendor'),
  words: one('words'),
  cover: one('cover'),
  cursor: one('after'),
  limit: 50,
  product: Number(one('product')) || undefined,
  account: Number(one('account')) || undefined,
  contract: Number(one('contract')) || undefined,
}))
const { data, error } = useThings(kind, query)
const words = ref(one('words') ?? '')
watch(
  () => one('words'),
  (w) => (words.value = w ?? ''),
)
const value = (e: Event) => (e.target as HTMLSelectElement).value
const covers = computed(
  () =>
    ({
      assets: [...['covered', 'twice', 'not-covered'].map((v) => [v, label('Cover.state', v)])],
      contracts: [...choicesOf('ContractCover').map((c) => [c.value, c.label])],
    })[kind.value as 'assets'] ?? [],
)
const heads = computed(
  () =>
    ({
      assets: ['Serial or identifier', 'Product', 'Site', 'Cover', 'Live cases'],
      contracts: ['Tier', 'Until', 'Covers', 'Next date', 'Live cases'],
      accounts: ['What it is for', 'Vendor calls it', 'Regions', 'Assets', 'Live cases'],
      products: ['We call it', 'Versions', 'Components', 'Assets', ''],
    })[kind.value],
)
/** The column that stands beside the name in a narrow window too. */
const kept = (i: number) => i === { assets: 3, contracts: 3, accounts: 0, products: 0 }[kind.value]
const text = (v: unknown) =>
  Array.isArray(v)
    ? v.map((x) => (typeof x === 'string' ? x : (x as { name: string }).name)).join(', ')
    : String(v ?? '')
const some = (n?: number) => (n ? String(n) : '')
function cells(t: Thing): string[] {
  const f = t.facts
  switch (kind.value) {
    case 'assets':
      return [
        text(f.serial || f.resource_id),
        text(f.product) + (f.version ? ' ' + text(f.version) : ''),
        text(f.site || f.region),
        '',
        some(t.live_cases),
      ]
    case 'contracts':
      return [
        text(f.tier),
        text(f.ends),
        f.everything
          ? 'everything'
          : [text(f.products), text(f.accounts)].filter(Boolean).join(', ') || 'assets that name it',
        (t.days_left ?? 0) < 0 ? 'ended' : (t.warnings?.[0] ?? left(t.days_left ?? 0)),
        some(t.live_cases),
      ]
    case 'accounts':
      return [text(f.name), text(f.called), text(f.regions), some(t.assets), some(t.live_cases)]
    default:
      return [text(f.our_names), text(f.versions), text(f.components), some(t.assets), '']
  }
}
</script>

<template>
  <RegisterHead :at="kind">
    <NButton class="right" :aria-expanded="tables" data-testid="tables-open" @click="tables = !tables"
      >Import and export</NButton
    >
    <NButton
      v-if="me.data.value?.may.includes(act(kind))"
      data-testid="add"
      @click="router.push(`/register/${kind}/new${one('vendor') ? '?vendor=' + one('vendor') : ''}`)"
      >Add {{ kind === 'products' || kind === 'contracts' ? 'a' : 'an' }} {{ singular(kind) }}</NButton
    >
  </RegisterHead>
  <TableDesk
    v-if="tables"
    :key="kind"
    :kind="kind"
    :many="kind"
    :may-read="me.data.value?.may.includes(act(kind)) ?? false"
    :vendor="one('vendor')"
    @leave="tables = false"
  />
  <form class="filters" aria-label="Filter the list" @submit.prevent="set({ words })">
    <input
      v-model="words"
      class="in"
      placeholder="Number or words, then Enter"
      aria-label="Number or words"
      data-testid="words"
    />
    <select
      class="in"
      aria-label="Vendor"
      data-testid="vendor"
      :value="one('vendor') ?? ''"
      @change="set({ vendor: value($event) })"
    >
      <option value="">Any vendor</option>
      <option v-for="v in vendors.data.value?.items" :key="v.key" :value="v.key">{{ v.name }}</option>
    </select>
    <select
      v-if="covers.length"
      class="in"
      aria-label="Cover"
      data-testid="cover"
      :value="one('cover') ?? ''"
      @change="set({ cover: value($event) })"
    >
      <option value="">{{ kind === 'assets' ? 'Covered or not' : 'In force or ended' }}</option>
      <option v-for="[v, l] in covers" :key="v" :value="v">{{ l }}</option>
    </select>
    <NButton v-if="Object.keys(route.query).length" @click="router.push({ name: 'register', params: { kind } })"
      >Clear filters</NButton
    >
  </form>
  <p v-if="error" class="problem" role="alert">{{ say(error) }}</p>
  <div v-if="data && data.items.length === 0" class="panel roomy">
    <p>
      <b>No matching {{ kind }}.</b>
    </p>
    <p class="sub">
      The register has what vendors ask for when a case is opened: numbers, serials, and which contract covers what.
      <template v-if="me.data.value?.may.includes(act(kind))"
        ><RouterLink :to="`/register/${kind}/new`">Add the first one</RouterLink>.</template
      >
    </p>
  </div>
  <div v-else-if="data" class="panel wide">
    <table class="list">
      <thead>
        <tr class="small">
          <th scope="col">{{ tabs.find(([k]) => k === kind)?.[1].slice(0, -1) }}</th>
          <th scope="col" class="more">Vendor</th>
          <th v-for="(h, i) in heads" :key="h" scope="col" :class="{ more: !kept(i) }">{{ h }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="t in data.items" :key="t.id" data-testid="thing-row">
          <td class="cut" :title="titleOf(t)">
            <RouterLink data-walk :to="`/register/${kind}/${t.id}`"
              ><b>{{ titleOf(t) }}</b></RouterLink
            >
          </td>
          <td class="cut more">{{ t.vendor_name }}</td>
          <td
            v-for="(c, i) in cells(t)"
            :key="i"
            class="cut"
            :class="{ mono: kind === 'assets' && i === 0, tn: true, more: !kept(i) }"
            :title="c"
          >
            <CoverMark v-if="kind === 'assets' && i === 3 && t.cover" :cover="t.cover" /><span
              v-else-if="kind === 'contracts' && i === 3"
              :class="{ near: t.within }"
              :title="t.warnings?.join('; ')"
              >{{ c }}</span
            ><template v-else>{{ c }}</template>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <PageTurn :next="data?.next" />
</template>

<style scoped>
.filters {
  display: flex;
  gap: 8px;
  margin-bottom: 14px;
  flex-wrap: wrap;
}
.filters .in {
  width: 220px;
}
table {
  min-width: 900px;
}
th:nth-child(6) {
  width: 26%;
}
th:last-child {
  width: 84px;
}
.near {
  font-weight: 650;
  color: var(--soon);
}
@media (max-width: 640px) {
  .filters .in {
    width: 100%;
  }
  .more {
    display: none;
  }
  table {
    min-width: 0;
  }
  th:nth-child(n) {
    width: auto;
  }
  .list td {
    white-space: normal;
    padding-top: 6px;
    padding-bottom: 6px;
  }
}
</style>
