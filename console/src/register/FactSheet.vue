<script setup lang="ts">
import { computed } from 'vue'
import CopyButton from '../shared/CopyButton.vue'
import { forms } from './forms'
import { inWords, type Field, type FormName } from './fields'
import { type Members } from './things'

const props = defineProps<{
  kind: FormName
  facts: Members
  without?: string[]
  levels?: { rank: number; label: string }[]
}>()

/** What a vendor asks for, and one copies. */
const identifying = ['serial', 'resource_id', 'number']

function shown(f: Field): string {
  const [outer, inner] = f.key.split('.') as [string, string | undefined]
  const v = inner ? (props.facts[outer] as Members | undefined)?.[inner] : props.facts[outer]
  if (v === undefined || v === null || v === '' || v === false) return ''
  if (v === true) return 'yes'
  if (Array.isArray(v)) return v.every((x) => typeof x === 'string') ? inWords(f, v) : ''
  if (typeof v === 'object')
    return Object.entries(v as Record<string, string>)
      .map(([k, x]) => `${k}: ${x}`)
      .join(', ')
  return inWords(f, v)
}
type Row = Record<string, unknown>
type Column = NonNullable<Field['columns']>[number]
const rowsOf = (f: Field) => (f.type === 'rows' ? ((props.facts[f.key] as Row[] | undefined) ?? []) : [])
// Of a table only the columns that say something.
const columnsOf = (f: Field) =>
  (f.columns ?? []).filter((c) =>
    rowsOf(f).some((r) => r[c.key] !== undefined && r[c.key] !== '' && r[c.key] !== false),
  )
// A level by the vendor's own word for it.
const cell = (c: Column, v: unknown) => {
  const level = c.type === 'level' ? props.levels?.find((l) => l.rank === v) : undefined
  return level ? `${level.rank} ${level.label}` : inWords(c, v)
}
const groups = computed(() =>
  forms[props.kind]
    .map((g) => ({
      ...g,
      fields: g.fields.filter((f) => !props.without?.includes(f.key) && (shown(f) || rowsOf(f).length)),
    }))
    .filter((g) => g.fields.length),
)
</script>

<template>
  <div class="groups">
    <section v-for="g in groups" :key="g.title" :class="{ broad: g.fields.some((f) => f.type === 'rows') }">
      <h2>{{ g.title }}</h2>
      <template v-for="f in g.fields" :key="f.key">
        <div v-if="f.type !== 'rows'" class="fact">
          <span class="sub">{{ f.label }}</span><span :class="{ mono: identifying.includes(f.key) }"
            >{{ shown(f)
            }}<CopyButton v-if="identifying.includes(f.key)" :value="shown(f)" :what="f.label.toLowerCase()"
          /></span>
        </div>
        <div v-else class="panel scroll" tabindex="0" role="region" :aria-label="f.label">
          <table>
            <caption v-if="g.fields.length > 1 && f.label !== g.title" class="sub small">
              {{
                f.label
              }}
            </caption>
            <thead>
              <tr class="small sub">
                <th v-for="c in columnsOf(f)" :key="c.key" scope="col">{{ c.label }}</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="(r, i) in rowsOf(f)" :key="i">
                <td v-for="c in columnsOf(f)" :key="c.key" class="tn">{{ cell(c, r[c.key]) }}</td>
              </tr>
            </tbody>
          </table>
        </div>
      </template>
    </section>
  </div>
</template>

<style scoped>
.groups {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 20px 36px;
  margin-top: 18px;
}
.groups > section {
  min-width: 0;
}
.broad {
  grid-column: 1 / -1;
}
.fact {
  display: grid;
  grid-template-columns: 170px minmax(0, 1fr);
  padding: 4px 0;
  border-top: 1px solid var(--line2);
  white-space: pre-line;
  overflow-wrap: anywhere;
}
.scroll {
  overflow-x: auto;
  margin-bottom: 8px;
}
h2 {
  margin-bottom: 4px;
}
table {
  width: 100%;
  border-collapse: collapse;
  min-width: 560px;
}
caption {
  text-align: left;
  padding: 6px 12px 0;
}
th {
  text-align: left;
  font-weight: 400;
  padding: 5px 12px;
}
td {
  padding: 5px 12px;
  border-top: 1px solid var(--line2);
  vertical-align: top;
}
@media (max-width: 800px) {
  .groups {
    grid-template-columns: 1fr;
  }
  .fact {
    grid-template-columns: 130px minmax(0, 1fr);
  }
}
</style>
