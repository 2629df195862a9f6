<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useVendor, useVendors } from '../vendors/queries'
import { forms, type Field, type FormName, type KindName } from './forms'
import { useCalendars } from '../hours/queries'
import { useThings, type Members } from './things'

const props = defineProps<{ kind: FormName; fresh: boolean; errors: Record<string, string> }>()
const facts = defineModel<Members & { vendor?: string }>({ required: true })

const vendors = useVendors()
const vendorKey = computed(() => facts.value.vendor ?? '')
const vendor = useVendor(vendorKey, computed(() => !!vendorKey.value))
// The names that a field is picked from are only read where the form has such a field.
const of = (kind: KindName) =>
  useThings(ref(kind), computed(() => ({ vendor: vendorKey.value, limit: 200 })), computed(() => !!vendorKey.value && forms[props.kind].some((g) => g.fields.some((f) => f.of === kind))))
const named = { products: of('products'), accounts: of('accounts'), contracts: of('contracts'), assets: undefined }
const names = (kind: KindName) => named[kind]?.data.value?.items.map((t) => t.facts.name && kind === 'products' ? t.facts.name : (t.facts.number ?? '')) ?? []
// A vendor's own form knows its levels before they are kept.
const levels = computed(() => (props.kind === 'vendors' ? ((facts.value.levels as { label: string }[] | undefined) ?? []).map((l, i) => ({ rank: i + 1, label: l.label })) : (vendor.data.value?.levels ?? [])))
const usual = computed(() => (props.kind === 'contracts' ? (vendor.data.value?.facts?.usual_terms ?? []) : []))
const all = useCalendars()
const calendars = computed(() => all.data.value?.items.filter((c) => !c.vendor || c.vendor === vendorKey.value || c.vendor === facts.value.key).map((c) => c.name) ?? [])

function get(key: string): unknown {
  const [outer, inner] = key.split('.') as [string, string | undefined]
  return inner ? (facts.value[outer] as Members | undefined)?.[inner] : facts.value[outer]
}
function set(key: string, v: unknown) {
  const [outer, inner] = key.split('.') as [string, string | undefined]
  const next = { ...facts.value }
  const gone = v === '' || v === undefined || (Array.isArray(v) && v.length === 0) || v === false
  if (inner) {
    const part = { ...(next[outer] as Members | undefined) }
    if (gone) delete part[inner]
    else part[inner] = v
    if (Object.keys(part).length) next[outer] = part
    else delete next[outer]
  } else if (gone) delete next[outer]
  else next[outer] = v
  facts.value = next
}
const text = (f: Field) => String(get(f.key) ?? '')
const value = (e: Event): string => (e.target as HTMLInputElement).value
// A list is written a line each; what is typed stands, also while a line is empty.
const lines = ref<Record<string, string>>({})
watch([() => props.kind, () => facts.value.vendor], () => (lines.value = {}))
const linesOf = (f: Field) => lines.value[f.key] ?? ((get(f.key) as string[] | undefined) ?? []).join('\n')
function setLines(f: Field, s: string) {
  lines.value[f.key] = s
  set(f.key, s.split('\n').map((x) => x.trim()).filter(Boolean))
}
type Row = Record<string, unknown>
type Column = NonNullable<Field['columns']>[number]
const rows = (f: Field) => (get(f.key) as Row[] | undefined) ?? []
function setCell(f: Field, i: number, key: string, v: string) {
  set(f.key, rows(f).map((r, j) => {
    if (j !== i) return r
    const next = { ...r }
    const kind = f.columns?.find((c) => c.key === key)?.type
    const parts = v.split(kind === 'lines' ? '\n' : ',').map((x) => x.trim()).filter(Boolean)
    const made: unknown = kind === 'list' || kind === 'lines' ? parts : kind === 'numbers' ? parts.map(Number).filter((x) => !Number.isNaN(x)) : kind === 'number' || key === 'level' ? Number(v) : kind === 'yes' ? v === 'yes' : v
    if (v === '' || made === false || (Array.isArray(made) && !made.length)) delete next[key]
    else next[key] = made
    return next
  }))
}
// A cell that holds a list keeps what is typed while it is typed in.
const typing = ref<{ at: string; text: string }>()
function cell(f: Field, i: number, c: Column): string {
  const at = `${f.key}-${i}-${c.key}`
  if (typing.value?.at === at) return typing.value.text
  const v = rows(f)[i]?.[c.key]
  return Array.isArray(v) ? v.join(c.type === 'lines' ? '\n' : ', ') : v === undefined || v === null ? '' : String(v as string)
}
function typeCell(f: Field, i: number, c: Column, text: string) {
  typing.value = { at: `${f.key}-${i}-${c.key}`, text }
  setCell(f, i, c.key, text)
}
const addRow = (f: Field) => set(f.key, [...rows(f), f.line ? { ...f.line } : f.key === 'terms' ? { level: 1, deadline: 'first-response', target: '', calendar: (vendor.data.value?.facts?.hours as string | undefined) ?? '' } : { name: '' }])
const pairs = ref<[string, string][]>()
const pairList = computed(() => pairs.value ?? (Object.entries((facts.value.attributes as Record<string, string> | undefined) ?? {}) as [string, string][]))
watch(() => props.kind, () => (pairs.value = undefined))
function setPair(i: number, at: 0 | 1, v: string) {
  const next = pairList.value.map((p) => [...p] as [string, string])
  next[i]![at] = v
  keepPairs(next)
}
function keepPairs(next: [string, string][]) {
  pairs.value = next
  set('attributes', Object.fromEntries(next.filter(([k]) => k)))
  if (!next.some(([k]) => k)) set('attributes', undefined)
}
const errorsOf = (f: Field) => Object.entries(props.errors).filter(([k]) => k === f.key || k.startsWith(f.key + '[') || k.startsWith(f.key + '.'))
const id = (f: Field) => 'f-' + f.key.replace('.', '-')
const rowError = (f: Field, i: number) => Object.keys(props.errors).some((k) => k.startsWith(`${f.key}[${i}]`))
</script>

<template>
  <div v-if="fresh && kind === 'vendors'" class="field">
    <label for="f-key">Key<span class="sub small hint">by which commands know it; it stays</span></label>
    <div><input id="f-key" class="in narrow" data-testid="f-key" :value="facts.key" @input="set('key', value($event))" /><p v-if="errors.key" class="wrong">{{ errors.key }}</p></div>
  </div>
  <div v-else-if="fresh" class="field">
    <label for="f-vendor">Vendor</label>
    <div>
      <select id="f-vendor" class="in" data-testid="f-vendor" :value="facts.vendor" @change="set('vendor', value($event))">
        <option value="">choose one</option>
        <option v-for="v in vendors.data.value?.items" :key="v.key" :value="v.key">{{ v.name }}</option>
      </select>
      <p v-if="errors.vendor" class="wrong">{{ errors.vendor }}</p>
    </div>
  </div>
  <fieldset v-for="g in forms[kind]" :key="g.title">
    <legend>{{ g.title }}</legend>
    <div v-for="f in g.fields" :key="f.key" class="field">
      <label :for="id(f)">{{ f.label }}<span v-if="f.hint" class="sub small hint">{{ f.hint }}</span></label>
      <div>
        <textarea v-if="f.type === 'long'" :id="id(f)" class="in" rows="2" :data-testid="id(f)" :value="text(f)" @input="set(f.key, value($event))" />
        <textarea v-else-if="f.type === 'lines'" :id="id(f)" class="in" :rows="Math.max(2, rows(f).length)" :data-testid="id(f)" placeholder="one a line" :value="linesOf(f)" @input="setLines(f, value($event))" />
        <input v-else-if="f.type === 'date'" :id="id(f)" class="in narrow" type="date" :data-testid="id(f)" :value="text(f)" @input="set(f.key, value($event))" />
        <input v-else-if="f.type === 'number'" :id="id(f)" class="in narrow" type="number" min="0" :data-testid="id(f)" :value="text(f)" @input="set(f.key, value($event) === '' ? '' : Number(value($event)))" />
        <label v-else-if="f.type === 'yes'" class="row tick"><input :id="id(f)" type="checkbox" :data-testid="id(f)" :checked="!!get(f.key)" @change="set(f.key, ($event.target as HTMLInputElement).checked)" /> yes</label>
        <select v-else-if="f.type === 'calendar'" :id="id(f)" class="in narrow" :data-testid="id(f)" :value="text(f)" @change="set(f.key, value($event))"><option value="">choose one</option><option v-for="c in calendars" :key="c">{{ c }}</option></select>
        <select v-else-if="f.type === 'choice'" :id="id(f)" class="in narrow" :data-testid="id(f)" :value="text(f)" @change="set(f.key, value($event))">
          <option value="">not said</option>
          <option v-for="c in f.choices" :key="c">{{ c }}</option>
        </select>
        <template v-else-if="f.type === 'rows'">
          <div class="rows" :class="{ many: (f.columns?.length ?? 0) > 7 }">
            <table v-if="rows(f).length">
              <thead><tr class="small sub"><th v-for="c in f.columns" :key="c.key" scope="col">{{ c.label }}</th><th><span class="hide">Take it out</span></th></tr></thead>
              <tbody>
                <tr v-for="(r, i) in rows(f)" :key="i" :class="{ bad: rowError(f, i) }">
                  <td v-for="c in f.columns" :key="c.key" :class="{ wide: c.wide }">
                    <select v-if="c.type === 'level'" class="in" :aria-label="`${c.label} ${i + 1}`" :data-testid="`${id(f)}-${i}-${c.key}`" :value="r[c.key]" @change="setCell(f, i, c.key, value($event))"><option v-for="l in levels" :key="l.rank" :value="l.rank">{{ l.rank }} {{ l.label }}</option></select>
                    <select v-else-if="c.type === 'calendar' || c.type === 'choice'" class="in" :aria-label="`${c.label} ${i + 1}`" :data-testid="`${id(f)}-${i}-${c.key}`"   :value="cell(f, i, c)" @change="setCell(f, i, c.key, value($event))"><option value="" /><option v-for="x in c.type === 'calendar' ? calendars : c.choices" :key="x">{{ x }}</option></select>
                    <input v-else-if="c.type === 'yes'" type="checkbox" :aria-label="`${c.label} ${i + 1}`" :data-testid="`${id(f)}-${i}-${c.key}`" :checked="!!r[c.key]" @change="setCell(f, i, c.key, ($event.target as HTMLInputElement).checked ? 'yes' : '')" />
                    <textarea v-else-if="c.type === 'lines'" class="in" :rows="Math.max(2, cell(f, i, c).split('\n').length + 1)" :aria-label="`${c.label} ${i + 1}`" :data-testid="`${id(f)}-${i}-${c.key}`" :value="cell(f, i, c)" @input="typeCell(f, i, c, value($event))" @blur="typing = undefined" />
                    <input v-else class="in" :type="c.type === 'date' ? 'date' : 'text'" :aria-label="`${c.label} ${i + 1}`" :data-testid="`${id(f)}-${i}-${c.key}`" :value="cell(f, i, c)" @input="typeCell(f, i, c, value($event))" @blur="typing = undefined" />
                  </td>
                  <td><button type="button" class="linkish" :aria-label="`Take line ${i + 1} out`" @click="set(f.key, rows(f).filter((_, j) => j !== i))">✕</button></td>
                </tr>
              </tbody>
            </table>
          </div>
          <button :id="id(f)" type="button" class="linkish" :data-testid="id(f) + '-add'" @click="addRow(f)">Add a line</button>
          <button v-if="f.key === 'terms' && !rows(f).length && usual.length" type="button" class="linkish usual" data-testid="usual" @click="set('terms', usual.map((t) => ({ ...t })))">Take what they usually promise ({{ usual.length }})</button>
        </template>
        <template v-else-if="f.type === 'pairs'">
          <div v-for="(p, i) in pairList" :key="i" class="row pair">
            <input class="in" :aria-label="`Name ${i + 1}`" :value="p[0]" @input="setPair(i, 0, value($event))" />
            <input class="in" :aria-label="`Value ${i + 1}`" :value="p[1]" @input="setPair(i, 1, value($event))" />
            <button type="button" class="linkish" :aria-label="`Take attribute ${i + 1} out`" @click="keepPairs(pairList.filter((_, j) => j !== i))">✕</button>
          </div>
          <button :id="id(f)" type="button" class="linkish" @click="pairs = [...pairList, ['', '']]">Add an attribute</button>
        </template>
        <template v-else>
          <input :id="id(f)" class="in" :data-testid="id(f)" :list="f.of ? id(f) + '-list' : undefined" autocomplete="off" :value="text(f)" @input="set(f.key, value($event))" />
          <datalist v-if="f.of" :id="id(f) + '-list'"><option v-for="n in names(f.of)" :key="n" :value="n" /></datalist>
        </template>
        <p v-for="[k, why] in errorsOf(f)" :key="k" class="wrong" :data-testid="'wrong-' + k">{{ why }}</p>
      </div>
    </div>
  </fieldset>
</template>

<style scoped>
fieldset { border: 0; border-top: 1px solid var(--line2); margin: 18px 0 0; padding: 8px 0 0; min-width: 0; }
legend { font-weight: 650; padding: 0 10px 0 0; }
.field { grid-template-columns: 180px minmax(0, 1fr); }
.hint { display: block; }
.narrow { width: 200px; }
.usual { margin-left: 16px; }
.tick { padding-top: 6px; }
.pair { margin-bottom: 6px; }
.rows { overflow-x: auto; }
table { border-collapse: collapse; min-width: 560px; width: 100%; }
th { text-align: left; font-weight: 400; padding: 0 6px 4px 0; }
td { padding: 0 6px 6px 0; min-width: 84px; }
.many table { min-width: 1180px; }
td.wide { min-width: 140px; }
tr.bad .in { border-color: var(--late); }
.wrong { color: var(--late); }
@media (max-width: 640px) { .field { grid-template-columns: 1fr; } }
</style>
