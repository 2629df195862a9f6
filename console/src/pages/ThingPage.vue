<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { useDebounceFn, useEventListener } from '@vueuse/core'
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { Problem, words as say } from '../data/api'
import { useMe } from '../data/queries'
import { act, addThing, changeThing, checkThing, difference, forms, removeThing, singular, titleOf, useThing, type Field, type KindName, type Members } from '../data/register'
import CoverMark from '../parts/CoverMark.vue'
import ThingForm from '../parts/ThingForm.vue'

const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const me = useMe()
const kind = computed(() => route.params.kind as KindName)
const fresh = computed(() => route.params.id === 'new')
const id = computed(() => (fresh.value ? 0 : Number(route.params.id)))
const { data, error } = useThing(kind, id)
const thing = computed(() => data.value?.data)
const mayWrite = computed(() => me.data.value?.may.includes(act(kind.value)) ?? false)

const editing = ref(fresh.value)
const facts = ref<Members & { vendor: string }>({ vendor: typeof route.query.vendor === 'string' ? route.query.vendor : '' })
const before = ref<Members>({})
const etag = ref('')
const errors = ref<Record<string, string>>({})
const problem = ref('')
const asks = ref('')
const busy = ref(false)
const touched = ref(false)

function begin() {
  if (!data.value) return
  facts.value = JSON.parse(JSON.stringify(data.value.data.facts)) as typeof facts.value
  before.value = JSON.parse(JSON.stringify(data.value.data.facts)) as Members
  etag.value = data.value.etag
  errors.value = {}
  problem.value = ''
  asks.value = ''
  touched.value = false
  editing.value = true
}
const change = computed(() => difference(before.value, facts.value))
function told(e: unknown) {
  if (e instanceof Problem && e.doc.errors?.length) {
    errors.value = Object.fromEntries(e.doc.errors.map((f) => [f.field, f.detail]))
    return true
  }
  return false
}
// Said as one types, by the same rules that will decide.
const look = useDebounceFn(async () => {
  if (!editing.value) return
  const said = await checkThing(kind.value, fresh.value ? undefined : id.value, fresh.value ? facts.value : change.value).catch(() => undefined)
  if (said) errors.value = Object.fromEntries(said.errors.map((f) => [f.field, f.detail]))
}, 350)
watch(facts, () => {
  touched.value = true
  if (facts.value.vendor) void look()
}, { deep: true })
useEventListener(window, 'beforeunload', (e) => {
  if (editing.value && touched.value) e.preventDefault()
})

async function save(meant = false) {
  busy.value = true
  problem.value = ''
  try {
    if (fresh.value) {
      const made = await addThing(kind.value, facts.value)
      touched.value = false
      editing.value = false
      await router.replace(`/register/${kind.value}/${made.id}`)
    } else if (Object.keys(change.value).length) {
      await changeThing(kind.value, id.value, etag.value, change.value, meant)
    }
    editing.value = false
    asks.value = ''
    for (const key of ['things', 'thing', 'vendor']) void queries.invalidateQueries({ queryKey: [key] })
  } catch (e) {
    if (e instanceof Problem && e.kind === 'touches-cases') asks.value = e.message
    else if (e instanceof Problem && e.kind === 'stale') problem.value = 'Somebody else has changed it since you began. What you typed is still here: open it in another tab to compare, or leave it and begin again.'
    else problem.value = told(e) ? 'It is not kept yet: see what is said beside the fields.' : say(e)
  } finally {
    busy.value = false
  }
}
const removing = ref(false)
async function remove() {
  try {
    await removeThing(kind.value, id.value, data.value!.etag)
    await queries.invalidateQueries({ queryKey: ['things'] })
    await router.replace(`/register/${kind.value}`)
  } catch (e) {
    problem.value = say(e)
  } finally {
    removing.value = false
  }
}
function shown(f: Field): string {
  const [outer, inner] = f.key.split('.') as [string, string | undefined]
  const v = inner ? (thing.value?.facts[outer] as Members | undefined)?.[inner] : thing.value?.facts[outer]
  if (v === undefined || v === null || v === '') return ''
  if (v === true) return 'yes'
  if (Array.isArray(v)) return v.every((x) => typeof x === 'string') ? v.join(', ') : ''
  if (typeof v === 'object') return Object.entries(v as Record<string, string>).map(([k, x]) => `${k}: ${x}`).join(', ')
  return String(v as string)
}
type Row = Record<string, string | number>
const rowsOf = (f: Field) => (f.type === 'rows' ? ((thing.value?.facts[f.key] as Row[] | undefined) ?? []) : [])
const groups = computed(() => forms[kind.value].map((g) => ({ ...g, fields: g.fields.filter((f) => shown(f) || rowsOf(f).length) })).filter((g) => g.fields.length))
watch(fresh, (is) => (editing.value = is))
</script>

<template>
  <p class="small"><RouterLink :to="`/register/${kind}`">{{ kind[0]!.toUpperCase() + kind.slice(1) }}</RouterLink></p>
  <p v-if="error" class="problem" role="alert">{{ say(error) }}</p>
  <template v-if="fresh || thing">
    <div class="row head">
      <h1>{{ fresh ? `A new ${singular(kind)}` : titleOf(thing!) }}</h1>
      <RouterLink v-if="thing" class="sub" :to="`/vendors/${thing.facts.vendor}`">{{ thing.vendor_name }}</RouterLink>
      <span class="grow" />
      <template v-if="!editing && thing">
        <NButton v-if="kind === 'assets' && me.data.value?.may.includes('work')" data-testid="open-here" @click="router.push(`/open?asset=${thing.id}`)">Open a case about it</NButton>
        <NButton v-if="mayWrite" type="primary" data-testid="edit" @click="begin">Change</NButton>
        <NButton v-if="mayWrite" data-testid="remove" @click="removing = true">Remove</NButton>
      </template>
    </div>
    <p v-if="thing?.cover"><CoverMark :cover="thing.cover" whole /></p>
    <p v-for="w in thing?.warnings" :key="w" class="warn">{{ w }}</p>
    <p v-if="thing && !editing" class="sub">
      <RouterLink v-if="thing.assets !== undefined && kind !== 'assets'" :to="{ name: 'register', params: { kind: 'assets' }, query: { [singular(kind)]: thing.id } }">{{ (kind === 'contracts' ? 'named by ' : '') + (thing.assets === 1 ? '1 asset' : `${thing.assets} assets`) }}</RouterLink>
      <template v-if="thing.live_cases !== undefined"><template v-if="kind !== 'assets'">, </template>{{ thing.live_cases === 1 ? '1 live case' : `${thing.live_cases} live cases` }}</template>
      <template v-if="thing.opened_cases !== undefined">, {{ thing.opened_cases }} opened under it</template>
      <template v-if="thing.days_left !== undefined">, {{ thing.days_left >= 0 ? `${thing.days_left} days left` : 'ended' }}</template>
    </p>
    <p v-if="thing?.number_found && !thing.facts.number_found && !editing" class="sub">Its number stands: {{ thing.number_found }}</p>
    <p v-if="problem" class="problem" role="alert" data-testid="problem">{{ problem }}</p>
    <div v-if="removing" class="panel ask" role="alertdialog" aria-label="Remove it?">
      <p>{{ titleOf(thing!) }} will be gone from the register. It stays where something refers to it.</p>
      <div class="row"><NButton type="primary" data-testid="remove-yes" @click="remove">Remove it</NButton><NButton @click="removing = false">Keep it</NButton></div>
    </div>
    <form v-if="editing" class="panel form" @submit.prevent="save()">
      <ThingForm v-model="facts" :kind="kind" :fresh="fresh" :errors="errors" />
      <div v-if="asks" class="ask" role="alertdialog" aria-label="Open cases are concerned">
        <p data-testid="asks">{{ asks }}</p>
        <NButton type="primary" data-testid="meant" :loading="busy" @click="save(true)">That is meant</NButton>
      </div>
      <div class="row keep">
        <NButton type="primary" attr-type="submit" data-testid="save" :loading="busy" :disabled="!fresh && Object.keys(change).length === 0">{{ fresh ? 'Add it' : 'Keep the change' }}</NButton>
        <NButton data-testid="leave" @click="fresh ? router.push(`/register/${kind}`) : (editing = false)">Leave it</NButton>
        <span v-if="Object.keys(errors).length" class="wrong small" role="status">{{ Object.keys(errors).length === 1 ? 'One thing is' : `${Object.keys(errors).length} things are` }} not right yet</span>
      </div>
    </form>
    <div v-else class="groups">
      <section v-for="g in groups" :key="g.title" :class="{ broad: g.fields.some((f) => f.type === 'rows') }">
        <h2>{{ g.title }}</h2>
        <template v-for="f in g.fields" :key="f.key">
          <div v-if="f.type !== 'rows'" class="fact"><span class="sub">{{ f.label }}</span><span :class="{ mono: ['serial', 'resource_id', 'number'].includes(f.key) }">{{ shown(f) }}</span></div>
          <div v-else class="panel scroll" tabindex="0" role="region" :aria-label="f.label"><table>
            <thead><tr class="small sub"><th v-for="c in f.columns" :key="c.key" scope="col">{{ c.label }}</th></tr></thead>
            <tbody><tr v-for="(r, i) in rowsOf(f)" :key="i"><td v-for="c in f.columns" :key="c.key" class="tn">{{ r[c.key] ?? '' }}</td></tr></tbody>
          </table></div>
        </template>
      </section>
    </div>
  </template>
</template>

<style scoped>
.head { flex-wrap: wrap; margin-bottom: 4px; }
.form { padding: 6px 20px 16px; margin-top: 12px; max-width: 980px; }
.keep { margin-top: 18px; position: sticky; bottom: 0; background: var(--panel); padding: 10px 0; border-top: 1px solid var(--line2); }
.wrong { color: var(--late); }
.warn { font-weight: 650; color: var(--soon); }
.ask { padding: 12px 16px; margin-top: 12px; display: flex; flex-direction: column; gap: 10px; align-items: flex-start; border-left: 3px solid var(--soon); }
.groups { display: grid; grid-template-columns: 1fr 1fr; gap: 20px 36px; margin-top: 18px; }
.groups > section { min-width: 0; }
.broad { grid-column: 1 / -1; }
.fact { display: grid; grid-template-columns: 170px minmax(0, 1fr); padding: 4px 0; border-top: 1px solid var(--line2); white-space: pre-line; overflow-wrap: anywhere; }
.scroll { overflow-x: auto; }
h2 { margin-bottom: 4px; }
table { width: 100%; border-collapse: collapse; min-width: 560px; }
th { text-align: left; font-weight: 400; padding: 5px 12px; }
td { padding: 5px 12px; border-top: 1px solid var(--line2); }
@media (max-width: 800px) { .groups { grid-template-columns: 1fr; } .fact { grid-template-columns: 130px minmax(0, 1fr); } }
</style>
