<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useVendor, useVendors } from '../vendors/queries'
import { forms } from './forms'
import { offered, type Field, type FormName, type KindName } from './fields'
import { useCalendars } from '../hours/queries'
import { useThings, type Members } from './things'
import FactPairs from './FactPairs.vue'
import FactRows from './FactRows.vue'

const props = defineProps<{ kind: FormName; fresh: boolean; errors: Record<string, string> }>()
const facts = defineModel<Members & { vendor?: string }>({ required: true })

const vendors = useVendors()
const vendorKey = computed(() => facts.value.vendor ?? '')
const vendor = useVendor(
  vendorKey,
  computed(() => !!vendorKey.value),
)
// The names that a field is picked from are only read where the form has such a field.
const of = (kind: KindName) =>
  useThings(
    ref(kind),
    computed(() => ({ vendor: vendorKey.value, limit: 200 })),
    computed(() => !!vendorKey.value && forms[props.kind].some((g) => g.fields.some((f) => f.of === kind))),
  )
const named = { products: of('products'), accounts: of('accounts'), contracts: of('contracts'), assets: undefined }
const names = (kind: KindName) =>
  named[kind]?.data.value?.items.map((t) =>
    t.facts.name && kind === 'products' ? t.facts.name : (t.facts.number ?? ''),
  ) ?? []
// A vendor's own form knows its levels before they are kept.
const levels = computed(() =>
  props.kind === 'vendors'
    ? ((facts.value.levels as { label: string }[] | undefined) ?? []).map((l, i) => ({ rank: i + 1, label: l.label }))
    : (vendor.data.value?.levels ?? []),
)
const usual = computed(() => (props.kind === 'contracts' ? (vendor.data.value?.facts?.usual_terms ?? []) : []))
const all = useCalendars()
const calendars = computed(
  () =>
    all.data.value?.items
      .filter((c) => !c.vendor || c.vendor === vendorKey.value || c.vendor === facts.value.key)
      .map((c) => c.name) ?? [],
)

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
  set(
    f.key,
    s
      .split('\n')
      .map((x) => x.trim())
      .filter(Boolean),
  )
}
type Row = Record<string, unknown>
const rows = (f: Field) => (get(f.key) as Row[] | undefined) ?? []
// What a line begins with where the form says nothing of it.
const begins = (f: Field): Row =>
  f.key === 'terms'
    ? {
        level: 1,
        deadline: 'first-response',
        target: '',
        calendar: (vendor.data.value?.facts?.hours as string | undefined) ?? '',
      }
    : { name: '' }
const takeUsual = () =>
  set(
    'terms',
    usual.value.map((t) => ({ ...t })),
  )
const errorsOf = (f: Field) =>
  Object.entries(props.errors).filter(([k]) => k === f.key || k.startsWith(f.key + '[') || k.startsWith(f.key + '.'))
const id = (f: Field) => 'f-' + f.key.replace('.', '-')
</script>

<template>
  <div v-if="fresh && kind === 'vendors'" class="field">
    <label for="f-key"
      >Key<span class="sub small hint">for commands and addresses; cannot be changed later</span></label
    >
    <div>
      <input id="f-key" class="in narrow" data-testid="f-key" :value="facts.key" @input="set('key', value($event))" />
      <p v-if="errors.key" class="wrong">{{ errors.key }}</p>
    </div>
  </div>
  <div v-else-if="fresh" class="field">
    <label for="f-vendor">Vendor</label>
    <div>
      <select
        id="f-vendor"
        class="in"
        data-testid="f-vendor"
        :value="facts.vendor"
        @change="set('vendor', value($event))"
      >
        <option value="">Choose one</option>
        <option v-for="v in vendors.data.value?.items" :key="v.key" :value="v.key">{{ v.name }}</option>
      </select>
      <p v-if="errors.vendor" class="wrong">{{ errors.vendor }}</p>
    </div>
  </div>
  <fieldset v-for="g in forms[kind]" :key="g.title">
    <legend>{{ g.title }}</legend>
    <div v-for="f in g.fields" :key="f.key" class="field">
      <label :for="id(f)"
        >{{ f.label }}<span v-if="f.hint" class="sub small hint">{{ f.hint }}</span></label
      >
      <div>
        <textarea
          v-if="f.type === 'long'"
          :id="id(f)"
          class="in"
          rows="2"
          :data-testid="id(f)"
          :value="text(f)"
          @input="set(f.key, value($event))"
        />
        <textarea
          v-else-if="f.type === 'lines'"
          :id="id(f)"
          class="in"
          :rows="Math.max(2, rows(f).length)"
          :data-testid="id(f)"
          placeholder="One per line"
          :value="linesOf(f)"
          @input="setLines(f, value($event))"
        />
        <input
          v-else-if="f.type === 'date'"
          :id="id(f)"
          class="in narrow"
          type="date"
          :data-testid="id(f)"
          :value="text(f)"
          @input="set(f.key, value($event))"
        />
        <input
          v-else-if="f.type === 'number'"
          :id="id(f)"
          class="in narrow"
          type="number"
          min="0"
          :data-testid="id(f)"
          :value="text(f)"
          @input="set(f.key, value($event) === '' ? '' : Number(value($event)))"
        />
        <label v-else-if="f.type === 'yes'" class="row tick"
          ><input
            :id="id(f)"
            type="checkbox"
            :data-testid="id(f)"
            :checked="!!get(f.key)"
            @change="set(f.key, ($event.target as HTMLInputElement).checked)"
          />
          Yes</label
        >
        <select
          v-else-if="f.type === 'calendar'"
          :id="id(f)"
          class="in narrow"
          :data-testid="id(f)"
          :value="text(f)"
          @change="set(f.key, value($event))"
        >
          <option value="">Choose one</option>
          <option v-for="c in calendars" :key="c">{{ c }}</option>
        </select>
        <select
          v-else-if="f.type === 'choice'"
          :id="id(f)"
          class="in narrow"
          :data-testid="id(f)"
          :value="text(f)"
          @change="set(f.key, value($event))"
        >
          <option value="">Not known</option>
          <option v-for="o in offered(f)" :key="o.value" :value="o.value">{{ o.label }}</option>
        </select>
        <template v-else-if="f.type === 'rows'">
          <FactRows
            :id="id(f)"
            :field="f"
            :rows="rows(f)"
            :levels="levels"
            :calendars="calendars"
            :errors="errors"
            :begins="begins(f)"
            @change="(r) => set(f.key, r)"
          />
          <button
            v-if="f.key === 'terms' && !rows(f).length && usual.length"
            type="button"
            class="linkish usual"
            data-testid="usual"
            @click="takeUsual"
          >
            Use the usual targets ({{ usual.length }})
          </button>
        </template>
        <FactPairs
          v-else-if="f.type === 'pairs'"
          :id="id(f)"
          :key="kind"
          :pairs="(facts.attributes as Record<string, string> | undefined) ?? {}"
          @change="(p) => set('attributes', p)"
        />
        <template v-else>
          <input
            :id="id(f)"
            class="in"
            :data-testid="id(f)"
            :list="f.of ? id(f) + '-list' : undefined"
            autocomplete="off"
            :value="text(f)"
            @input="set(f.key, value($event))"
          />
          <datalist v-if="f.of" :id="id(f) + '-list'"><option v-for="n in names(f.of)" :key="n" :value="n" /></datalist>
        </template>
        <p v-for="[k, why] in errorsOf(f)" :key="k" class="wrong" :data-testid="'wrong-' + k">{{ why }}</p>
      </div>
    </div>
  </fieldset>
</template>

<style scoped>
fieldset {
  border: 0;
  border-top: 1px solid var(--line2);
  margin: 18px 0 0;
  padding: 8px 0 0;
  min-width: 0;
}
legend {
  font-weight: 650;
  padding: 0 10px 0 0;
}
.field {
  grid-template-columns: 180px minmax(0, 1fr);
}
.hint {
  display: block;
}
.narrow {
  width: 200px;
}
.usual {
  margin-left: 16px;
}
.tick {
  padding-top: 6px;
}
.wrong {
  color: var(--late);
}
@media (max-width: 640px) {
  .field {
    grid-template-columns: 1fr;
  }
}
</style>
