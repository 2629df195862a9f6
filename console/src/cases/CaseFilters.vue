<script setup lang="ts">
import { NButton, NInput, NSelect } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { attrs } from '../shared/attrs'
import { useFilters } from '../shared/filters'
import { choicesOf } from '../shared/words'
import { useOwners } from '../people/queries'
import { useVendorOptions } from '../vendors/queries'

// What narrows the list of cases, kept in the address. A list as it stood knows fewer.
const props = defineProps<{ past: boolean }>()
const { one, set } = useFilters()
const many = (k: string) => one(k)?.split(',').filter(Boolean)
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
const parts = computed(() =>
  choicesOf('DeskPart').filter((p) => (props.past ? p.value === 'desk' : p.value !== 'person')),
)
const owners = useOwners()
const words = ref(one('words') ?? '')
watch(
  () => one('words'),
  (w) => (words.value = w ?? ''),
)

const states = computed(() => [
  ...choicesOf('State'),
  ...(props.past ? [] : [{ label: 'To be sorted', value: 'unsorted' }]),
  { label: 'Every state', value: 'all' },
])
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
</script>

<template>
  <form class="filters" aria-label="Filter the list" @submit.prevent="set({ words })">
    <NInput
      v-if="!past"
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
    <label v-if="!past"
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
    <label v-if="!past"
      ><span class="hide">Waiting on</span
      ><NSelect
        clearable
        :value="one('move') ?? null"
        :options="moves"
        placeholder="Waiting on anyone"
        @update:value="(v: string | null) => set({ move: v ?? '' })"
    /></label>
    <label v-if="!past"
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
        v-for="f in past ? [] : picks"
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
        v-if="!past"
        :type="one('reference') === 'none' ? 'primary' : 'default'"
        :aria-pressed="one('reference') === 'none'"
        data-testid="no-reference"
        @click="set({ reference: one('reference') === 'none' ? '' : 'none' })"
        >No reference yet</NButton
      >
    </span>
  </form>
</template>

<style scoped>
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
</style>
