<script setup lang="ts">
import { ref } from 'vue'
import { offered, type Field } from './fields'

type Row = Record<string, unknown>
type Column = NonNullable<Field['columns']>[number]
const props = defineProps<{
  field: Field
  rows: Row[]
  /** How the elements of the field are named. */
  id: string
  levels: { rank: number; label: string }[]
  calendars: string[]
  errors: Record<string, string>
  /** What a line begins with where the field says nothing of it. */
  begins: Row
}>()
const emit = defineEmits<{ change: [rows: Row[]] }>()

const wrong = (i: number) => Object.keys(props.errors).some((k) => k.startsWith(`${props.field.key}[${i}]`))
const split = (text: string, at: string) =>
  text
    .split(at)
    .map((x) => x.trim())
    .filter(Boolean)

/** What a cell of a column holds once something was typed into it; undefined: nothing. */
function made(c: Column, text: string): unknown {
  if (text === '') return undefined
  switch (c.type) {
    case 'lines':
      return split(text, '\n')
    case 'list':
      return split(text, ',')
    case 'numbers':
      return split(text, ',')
        .map(Number)
        .filter((x) => !Number.isNaN(x))
    case 'yes':
      return text === 'yes' || undefined
  }
  return c.type === 'number' || c.key === 'level' ? Number(text) : text
}
function setCell(i: number, c: Column, text: string) {
  const next = { ...props.rows[i] }
  const v = made(c, text)
  if (v === undefined || (Array.isArray(v) && !v.length)) delete next[c.key]
  else next[c.key] = v
  emit(
    'change',
    props.rows.map((r, j) => (j === i ? next : r)),
  )
}
// A cell that holds a list keeps what is typed while it is typed in.
const typing = ref<{ at: string; text: string }>()
const at = (i: number, c: Column) => `${props.id}-${i}-${c.key}`
function cell(i: number, c: Column): string {
  if (typing.value?.at === at(i, c)) return typing.value.text
  const v = props.rows[i]?.[c.key]
  if (Array.isArray(v)) return v.join(c.type === 'lines' ? '\n' : ', ')
  return v === undefined || v === null ? '' : String(v as string)
}
function typeCell(i: number, c: Column, text: string) {
  typing.value = { at: at(i, c), text }
  setCell(i, c, text)
}
const add = () => emit('change', [...props.rows, { ...(props.field.line ?? props.begins) }])
const remove = (i: number) =>
  emit(
    'change',
    props.rows.filter((_, j) => j !== i),
  )
const value = (e: Event): string => (e.target as HTMLInputElement).value
</script>

<template>
  <div class="rows" :class="{ many: (field.columns?.length ?? 0) > 7 }">
    <table v-if="rows.length">
      <thead>
        <tr class="small sub">
          <th v-for="c in field.columns" :key="c.key" scope="col">{{ c.label }}</th>
          <th><span class="hide">Remove</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(r, i) in rows" :key="i" :class="{ bad: wrong(i) }">
          <td v-for="c in field.columns" :key="c.key" :class="{ wide: c.wide }">
            <select
              v-if="c.type === 'level'"
              class="in"
              :aria-label="`${c.label} ${i + 1}`"
              :data-testid="at(i, c)"
              :value="r[c.key]"
              @change="setCell(i, c, value($event))"
            >
              <option v-for="l in levels" :key="l.rank" :value="l.rank">{{ l.rank }} {{ l.label }}</option>
            </select>
            <select
              v-else-if="c.type === 'calendar' || c.type === 'choice'"
              class="in"
              :aria-label="`${c.label} ${i + 1}`"
              :data-testid="at(i, c)"
              :value="cell(i, c)"
              @change="setCell(i, c, value($event))"
            >
              <option value="" />
              <template v-if="c.type === 'calendar'"
                ><option v-for="x in calendars" :key="x">{{ x }}</option></template
              ><template v-else
                ><option v-for="o in offered(c)" :key="o.value" :value="o.value">{{ o.label }}</option></template
              >
            </select>
            <input
              v-else-if="c.type === 'yes'"
              type="checkbox"
              :aria-label="`${c.label} ${i + 1}`"
              :data-testid="at(i, c)"
              :checked="!!r[c.key]"
              @change="setCell(i, c, ($event.target as HTMLInputElement).checked ? 'yes' : '')"
            />
            <textarea
              v-else-if="c.type === 'lines'"
              class="in"
              :rows="Math.max(2, cell(i, c).split('\n').length + 1)"
              :aria-label="`${c.label} ${i + 1}`"
              :data-testid="at(i, c)"
              :value="cell(i, c)"
              @input="typeCell(i, c, value($event))"
              @blur="typing = undefined"
            />
            <input
              v-else
              class="in"
              :type="c.type === 'date' ? 'date' : 'text'"
              :aria-label="`${c.label} ${i + 1}`"
              :data-testid="at(i, c)"
              :value="cell(i, c)"
              @input="typeCell(i, c, value($event))"
              @blur="typing = undefined"
            />
          </td>
          <td>
            <button type="button" class="linkish" :aria-label="`Remove line ${i + 1}`" @click="remove(i)">✕</button>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <button :id="id" type="button" class="linkish" :data-testid="id + '-add'" @click="add">Add a line</button>
</template>

<style scoped>
.rows {
  overflow-x: auto;
}
table {
  border-collapse: collapse;
  min-width: 560px;
  width: 100%;
}
th {
  text-align: left;
  font-weight: 400;
  padding: 0 6px 4px 0;
}
td {
  padding: 0 6px 6px 0;
  min-width: 84px;
}
.many table {
  min-width: 1180px;
}
td.wide {
  min-width: 140px;
}
tr.bad .in {
  border-color: var(--late);
}
</style>
