<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { client, newKey, ok, Problem, type Schemas } from '../shared/api'
import { useMe } from '../shared/queries'
import { useSending } from '../shared/sending'
import { choicesOf } from '../shared/words'
import { addressOf, usualColumns, useViews, type Column } from './views'

// Named views of the list, its columns, and its export.
const props = defineProps<{ query: Schemas['CaseQuery']; columns: Column[]; view?: string }>()
const emit = defineEmits<{ columns: [Column[]] }>()
const router = useRouter()
const queries = useQueryClient()
const me = useMe()
const { data } = useViews()
const { busy, problem, send } = useSending()
const opened = ref<'save' | 'columns' | 'export'>()
const name = ref('')
const desk = ref(false)
const notes = ref(false)
const lead = computed(() => me.data.value?.may.includes('contracts') ?? false)
const current = computed(() => data.value?.items.find((v) => v.name === props.view))
const mayDelete = computed(() => current.value && (!current.value.desk || lead.value))
const all = choicesOf('CaseColumn') as { value: Column; label: string }[]
watch(opened, () => {
  problem.value = ''
  name.value = props.view ?? ''
  desk.value = current.value?.desk ?? false
})
const toggle = (what: 'save' | 'columns' | 'export') => (opened.value = opened.value === what ? undefined : what)
const header = () => ({ 'Idempotency-Key': newKey() })

function show(id: string) {
  const v = data.value?.items.find((x) => String(x.id) === id)
  void router.push({ query: v ? addressOf(v) : {} })
}
async function save() {
  const same = props.columns.join() === usualColumns.join()
  const sent = await send(async () => {
    const v = await ok(
      client.POST('/views', {
        params: { header: header() },
        body: { name: name.value.trim(), query: props.query, columns: same ? [] : props.columns, desk: desk.value },
      }),
    )
    await queries.invalidateQueries({ queryKey: ['views'] })
    void router.push({ query: addressOf(v) })
  })
  if (sent) opened.value = undefined
}
async function remove() {
  await send(async () => {
    await ok(client.DELETE('/views/{view}', { params: { path: { view: current.value!.id } } }))
    await queries.invalidateQueries({ queryKey: ['views'] })
    void router.push({ query: {} })
  })
}
async function download(format: 'csv' | 'json') {
  await send(async () => {
    const res = await fetch('/api/v1/cases-export', {
      method: 'POST',
      headers: { 'Content-Type': 'application/json', ...header() },
      body: JSON.stringify({ query: props.query, columns: props.columns, format, notes: notes.value || undefined }),
    })
    if (!res.ok) throw new Problem(res.status, (await res.json()) as Schemas['Problem'])
    const a = document.createElement('a')
    a.href = URL.createObjectURL(await res.blob())
    a.download = `cases.${format}`
    a.click()
    URL.revokeObjectURL(a.href)
    opened.value = undefined
  })
}
function column(c: Column, on: boolean) {
  const has = all.map((x) => x.value).filter((x) => (x === c ? on : props.columns.includes(x)))
  // The usual order first, then what else was chosen.
  const rank = (x: Column) => (usualColumns.includes(x) ? usualColumns.indexOf(x) : usualColumns.length)
  emit(
    'columns',
    has.sort((a, b) => rank(a) - rank(b)),
  )
}
</script>

<template>
  <div class="bar">
    <select
      class="in"
      aria-label="View"
      data-testid="view"
      :value="current ? String(current.id) : ''"
      @change="show(($event.target as HTMLSelectElement).value)"
    >
      <option value="">No view</option>
      <option v-for="v in data?.items" :key="v.id" :value="String(v.id)">
        {{ v.name }}{{ v.desk ? ' (desk)' : '' }}
      </option>
    </select>
    <NButton :aria-expanded="opened === 'save'" data-testid="save-view" @click="toggle('save')">Save view</NButton>
    <NButton v-if="mayDelete" data-testid="delete-view" :loading="busy" @click="remove">Delete view</NButton>
    <NButton :aria-expanded="opened === 'columns'" data-testid="columns" @click="toggle('columns')">Columns</NButton>
    <NButton :aria-expanded="opened === 'export'" data-testid="export" @click="toggle('export')">Export list</NButton>
  </div>
  <form v-if="opened === 'save'" class="panel sheet" data-testid="view-form" @submit.prevent="save">
    <label for="view-name">Name</label
    ><input id="view-name" v-model="name" class="in" maxlength="80" data-testid="view-name" />
    <label v-if="lead"><input v-model="desk" type="checkbox" data-testid="view-desk" /> For the whole desk</label>
    <NButton type="primary" attr-type="submit" :loading="busy" :disabled="!name.trim()" data-testid="do-save-view"
      >Save view</NButton
    >
  </form>
  <fieldset v-if="opened === 'columns'" class="panel sheet" data-testid="column-list">
    <legend class="hide">Columns</legend>
    <label v-for="c in all" :key="c.value"
      ><input
        type="checkbox"
        :checked="columns.includes(c.value)"
        :disabled="c.value === 'case'"
        :data-testid="'column-' + c.value"
        @change="column(c.value, ($event.target as HTMLInputElement).checked)"
      />
      {{ c.label }}</label
    >
  </fieldset>
  <div v-if="opened === 'export'" class="panel sheet" data-testid="export-form">
    <span class="sub">All cases of this list, with these columns:</span>
    <NButton :loading="busy" data-testid="export-csv" @click="download('csv')">Download CSV</NButton>
    <NButton :loading="busy" data-testid="export-json" @click="download('json')">Download JSON</NButton>
    <label><input v-model="notes" type="checkbox" data-testid="export-notes" /> With notes (internal)</label>
  </div>
  <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
</template>

<style scoped>
.bar {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
  margin-bottom: 10px;
}
.bar > .in {
  width: auto;
  min-width: 150px;
  height: 34px;
}
.sheet {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  align-items: center;
  padding: 10px 14px;
  margin: 0 0 10px;
}
.sheet > .in {
  width: 240px;
}
</style>
