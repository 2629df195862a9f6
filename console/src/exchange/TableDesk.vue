<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'
import { words as say, type Schemas } from '../shared/api'

// Tables in and out: what a file would do is shown first, row by row.
const props = defineProps<{ kind: Schemas['TableKind']; many: string; mayRead: boolean; vendor?: string }>()
const emit = defineEmits<{ leave: [] }>()
const queries = useQueryClient()
type Row = Schemas['TableRow']
const most = 200 // rows that are shown
const file = ref<File>()
const rows = ref<Row[]>([])
const more = ref(0)
const sum = ref<Schemas['TableSum']>()
const progress = ref<Schemas['TableProgress']>()
const problem = ref('')
const busy = ref(false)
const confirmed = ref(false)
const part = computed(() =>
  progress.value ? Math.round((100 * progress.value.bytes) / Math.max(1, progress.value.of_bytes)) : 0,
)

async function take(dry: boolean) {
  busy.value = true
  problem.value = ''
  rows.value = []
  more.value = 0
  sum.value = undefined
  progress.value = undefined
  try {
    const res = await fetch(`/api/v1/tables/${props.kind}?dry_run=${dry}&confirm=${confirmed.value}`, {
      method: 'POST',
      headers: { 'Content-Type': 'text/csv' },
      body: file.value,
    })
    if (!res.ok || !res.body) {
      const doc = (await res.json()) as Schemas['Problem']
      problem.value = doc.detail ?? doc.title
      return
    }
    let rest = ''
    const lines = res.body.pipeThrough(new TextDecoderStream()).getReader()
    for (let next = await lines.read(); !next.done; next = await lines.read()) {
      const all = (rest + next.value).split('\n')
      rest = all.pop() ?? ''
      for (const l of all) told(JSON.parse(l) as Schemas['TableLine'])
    }
    if (!sum.value && !problem.value)
      problem.value =
        'The connection broke, so the import may or may not be done. ' +
        'Choose the file again: if all rows are the same, it is done.'
    if (!dry) void queries.invalidateQueries()
  } catch (e) {
    problem.value = say(e)
  } finally {
    busy.value = false
  }
}
function told(l: Schemas['TableLine']) {
  if (l.progress) progress.value = l.progress
  if (l.row && l.row.what !== 'same') {
    if (rows.value.length < most) rows.value.push(l.row)
    else more.value++
  }
  if (l.problem) problem.value = l.problem.errors?.[0]?.detail ?? l.problem.detail ?? l.problem.title
  if (l.sum) sum.value = l.sum
}
async function chosen(e: Event) {
  file.value = (e.target as HTMLInputElement).files?.[0]
  if (file.value) await take(true)
}
const href = (q: string) =>
  `/api/v1/tables/${props.kind}?${new URLSearchParams(props.vendor ? { vendor: props.vendor } : {})}${q}`
const asks = computed(() => rows.value.some((r) => r.needs_confirm))
</script>

<template>
  <section class="panel sheet" :aria-label="'Tables of ' + many" data-testid="tables">
    <p>
      <b>Export:</b> <a :href="href('')" :download="`${kind}.csv`" data-testid="table-out">{{ many }} as CSV</a>, or
      <a :href="href('&semicolons=true&mark=true')" :download="`${kind}.csv`">with semicolons and a byte order mark</a>
      for spreadsheets that need it. <span class="sub">The file can be edited and imported again.</span>
    </p>
    <template v-if="mayRead">
      <label for="table-file"
        ><b>Import:</b> CSV in UTF-8 with a header row, columns in any order.
        <span class="sub"
          >What it would do is shown first.
          <template v-if="kind === 'cases'"
            >Each row adds a case that its vendor has already; one with a known vendor reference changes
            nothing.</template
          ><template v-else
            >A row that matches a record changes it, other rows are added, and an empty cell clears the field.</template
          ></span
        ></label
      >
      <input id="table-file" type="file" accept=".csv,text/csv" data-testid="table-file" @change="chosen" />
      <div v-if="busy" class="row" role="status">
        <progress max="100" :value="part" :aria-label="'Progress'" /><span class="tn"
          >{{ progress?.rows ?? 0 }} rows, {{ part }}%</span
        >
      </div>
      <p v-if="problem" class="problem" role="alert" data-testid="table-problem">{{ problem }}</p>
      <template v-if="sum">
        <p v-if="sum.ignored.length" class="doubt">Ignored, as not recognised: {{ sum.ignored.join(', ') }}.</p>
        <p role="status" data-testid="table-sum">
          <b>{{
            sum.done ? 'Imported.' : sum.refused ? 'Nothing would be changed.' : 'Nothing has been changed yet.'
          }}</b>
          {{ sum.rows }} rows: {{ sum.added }} {{ sum.done ? 'added' : 'to add' }}, {{ sum.changed }}
          {{ sum.done ? 'changed' : 'to change' }}, {{ sum.same }} the same, {{ sum.refused }} refused.
        </p>
      </template>
      <div v-if="rows.length" class="scroll" tabindex="0" role="region" aria-label="Row by row">
        <table>
          <thead>
            <tr class="small sub">
              <th scope="col">Line</th>
              <th scope="col">Would be</th>
              <th scope="col">Record</th>
              <th scope="col">What changes, or why not</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="r in rows" :key="r.line" :class="{ bad: r.what === 'refused' }">
              <td class="tn">{{ r.line }}</td>
              <td>{{ r.what }}</td>
              <td class="which">{{ r.name }}</td>
              <td>
                <div v-for="(s, i) in r.said" :key="i">{{ s }}</div>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <p v-if="more" class="sub">… and {{ more }} more rows.</p>
      <label v-if="asks || confirmed" class="row"
        ><input v-model="confirmed" type="checkbox" data-testid="table-confirm" @change="take(true)" /> apply changes
        that affect live cases</label
      >
    </template>
    <div class="row">
      <NButton
        v-if="sum && !sum.done && !sum.refused && sum.added + sum.changed > 0"
        type="primary"
        :loading="busy"
        data-testid="table-take"
        @click="take(false)"
        >Import table</NButton
      >
      <NButton data-testid="table-leave" @click="emit('leave')">{{ sum?.done ? 'Done' : 'Cancel' }}</NButton>
    </div>
  </section>
</template>

<style scoped>
.sheet {
  padding: 14px 16px;
  margin-bottom: 14px;
  display: flex;
  flex-direction: column;
  gap: 12px;
}
.scroll {
  max-height: 46vh;
  overflow: auto;
  border: 1px solid var(--line2);
}
table {
  width: 100%;
  border-collapse: collapse;
  min-width: 560px;
}
th {
  text-align: left;
  font-weight: 400;
  padding: 5px 12px;
  position: sticky;
  top: 0;
  background: var(--panel);
}
td {
  padding: 5px 12px;
  border-top: 1px solid var(--line2);
  vertical-align: top;
  overflow-wrap: anywhere;
}
.which {
  width: 24%;
}
.bad td:nth-child(2) {
  color: var(--late);
  font-weight: 600;
}
.doubt {
  color: var(--soon);
}
progress {
  width: 220px;
}
</style>
