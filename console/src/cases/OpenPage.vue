<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { useDebounceFn } from '@vueuse/core'
import { NButton, NInput, NModal, NSelect } from 'naive-ui'
import { computed, reactive, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { client, newKey, ok, Problem, unclear, whole, words, type Case, type Facts, type Schemas, type Texts } from '../shared/api'
import { routeKey, routeWords } from '../shared/routes'
import { refresh } from '../shared/queries'
import { useSteps } from './queries'
import { useVendors } from '../vendors/queries'
import { useThings } from '../register/things'
import { short, useClock } from '../shared/time'
import SeverityPlate from '../shared/SeverityPlate.vue'
import { trap } from '../shared/trap'

const route = useRoute()
const router = useRouter()
const queries = useQueryClient()
const vendors = useVendors()
const takeStep = useSteps()
const now = useClock()

type Form = { vendor: string | null; asset: number | null; contract: number | null; title: string; kind: string; facts: Facts; texts: Texts; answers: Record<string, string>; severity: number | null; severity_reason: string; ticket: string }
const empty = (): Form => ({ vendor: null, asset: null, contract: null, title: '', kind: 'fault', facts: {}, texts: {}, answers: {}, severity: null, severity_reason: '', ticket: '' })
const form = reactive<Form>(empty())
const draft = ref<Case>()
const etag = ref('')
const problem = ref('')
const saved = ref<Date>()
const saving = ref(false)
const looking = ref(false)
const filing = ref(false)
const local = 'roundhouse.open'
let key = newKey()
let quiet = false // filling the form is not typing

// The asset is found as one types; with it come vendor, contract, account and what is known.
const assetWords = ref('')
const assetHits = ref<Schemas['Hit'][]>([])
const lookForAsset = useDebounceFn(async () => {
  const text = assetWords.value.trim()
  if (!text) {
    assetHits.value = []
    if (form.asset) Object.assign(form, { asset: null, contract: null })
    return
  }
  const hits = (await ok(client.GET('/find', { params: { query: { words: text, kind: 'asset', limit: 8 } } })).catch(() => ({ items: [] }))).items
  assetHits.value = hits
  const exact = hits.filter((h) => h.exact)
  if (exact.length === 1 && exact[0]!.id !== form.asset) await choose(exact[0]!.id)
}, 200)
async function choose(id: number) {
  const a = await ok(client.GET('/assets/{id}', { params: { path: { id } } }))
  if (draft.value && a.facts.vendor !== form.vendor) {
    problem.value = `${a.facts.name} is ${a.vendor_name}'s; this draft is with another vendor.`
    return
  }
  assetWords.value = a.facts.name
  Object.assign(form, { asset: a.id, contract: null, vendor: a.facts.vendor })
  if (!form.texts.on_what) form.texts.on_what = [a.facts.name, a.facts.serial ?? a.facts.resource_id].filter(Boolean).join(', ')
  if (!form.facts.environment && a.facts.environment) form.facts.environment = a.facts.environment as 'production'
}
const contracts = useThings(ref('contracts' as const), computed(() => ({ vendor: form.vendor ?? '', cover: 'in-force', limit: 50 })), computed(() => !!form.vendor))
const contractOptions = computed(() => contracts.data.value?.items.map((k) => ({ label: `${k.facts.number}, until ${String(k.facts.ends)}`, value: k.id })) ?? [])

function fill(c: Case) {
  quiet = true
  Object.assign(form, {
    vendor: c.line.vendor_key, asset: c.asset_id ?? null, contract: c.contract_id ?? null, title: c.line.title, kind: c.line.kind, facts: { ...c.facts }, texts: { ...c.texts }, answers: Object.fromEntries((c.asked ?? []).filter((q) => q.given).map((q) => [q.key, q.answer])),
    severity: c.severity_supported && c.line.severity !== c.severity_supported ? c.line.severity : null, severity_reason: c.severity_chosen_because ?? '',
    ticket: c.references.find((r) => r.whose === 'ours')?.value ?? '',
  })
  assetWords.value = c.asset ?? ''
  setTimeout(() => (quiet = false))
}
async function load(name: string) {
  const got = await whole(client.GET('/cases/{case}', { params: { path: { case: name } } }))
  if (got.data.line.state !== 'draft') return void router.replace(`/cases/${got.data.line.number}`)
  draft.value = got.data
  etag.value = got.etag
  fill(got.data)
}
watch(() => route.params.name, (n) => {
  if (typeof n === 'string' && n) {
    if (draft.value?.line.number !== n) void load(n).catch((e) => (problem.value = words(e)))
  } else if (draft.value) {
    draft.value = undefined
    Object.assign(form, empty())
  } else {
    const kept = localStorage.getItem(local)
    if (kept) Object.assign(form, JSON.parse(kept) as Form)
    if (Number(route.query.asset)) void choose(Number(route.query.asset)).catch((e) => (problem.value = words(e)))
  }
}, { immediate: true })

/** Saves as one types: first in this browser, then as a draft on the desk. */
async function save(): Promise<boolean> {
  if (!form.vendor || !form.title.trim()) return false
  saving.value = true
  problem.value = ''
  // Only what the form of this kind asks for: what was answered for another kind stays here.
  const asked = draft.value?.line.kind === form.kind ? (draft.value.asked ?? []).map((q) => q.key) : []
  const answers = asked.length ? Object.fromEntries(Object.entries(form.answers).filter(([k]) => asked.includes(k))) : undefined
  const head = { title: form.title.trim(), kind: form.kind as 'fault', facts: form.facts, texts: form.texts, answers, severity_reason: form.severity_reason }
  try {
    if (!draft.value) {
      const made = await whole(client.POST('/cases', { params: { header: { 'Idempotency-Key': key } }, body: { ...head, vendor: form.vendor, asset: form.asset ?? undefined, contract: form.contract ?? undefined, severity: form.severity ?? undefined, ticket: form.ticket || undefined } }))
      draft.value = made.data
      etag.value = made.etag
      localStorage.removeItem(local)
      await router.replace(`/open/${made.data.line.number}`)
    } else {
      const done = await whole(client.PATCH('/cases/{case}', { params: { path: { case: draft.value.line.number }, header: { 'If-Match': etag.value } }, body: { ...head, asset: form.asset, contract: form.contract, severity: form.severity, ticket: form.ticket || null }, headers: { 'Content-Type': 'application/merge-patch+json' } }))
      draft.value = done.data
      etag.value = done.etag
    }
    if (draft.value.contract_id && form.contract !== draft.value.contract_id) {
      quiet = true
      form.contract = draft.value.contract_id
      setTimeout(() => (quiet = false))
    }
    saved.value = new Date()
    return true
  } catch (e) {
    problem.value = words(e)
    if (!unclear(e)) key = newKey() // else the same key finds out whether it was done
    if (e instanceof Problem && e.kind === 'stale' && draft.value) {
      problem.value = 'This draft was changed elsewhere. Your words are still here; saving again puts them over it.'
      etag.value = (await whole(client.GET('/cases/{case}', { params: { path: { case: draft.value.line.number } } }))).etag
    }
    return false
  } finally {
    saving.value = false
  }
}
let chain = Promise.resolve<unknown>(undefined)
const later = useDebounceFn(() => (chain = chain.then(save)), 600)
watch(form, () => {
  if (quiet) return
  if (!draft.value) localStorage.setItem(local, JSON.stringify(form))
  void later()
}, { deep: true })

// The grade follows the facts at once, before there is a draft.
const grade = ref<Awaited<ReturnType<typeof askGrade>>>()
const gradeProblem = ref('')
const askGrade = () => ok(client.POST('/grade', { params: { header: { 'Idempotency-Key': newKey() } }, body: { facts: form.facts, kind: form.kind as 'fault', vendor: form.vendor ?? undefined, severity: form.severity ?? undefined } }))
watch([() => ({ ...form.facts }), () => form.vendor, () => form.kind, () => form.severity], useDebounceFn(async () => {
  if (!form.facts.environment || !form.facts.effect) return (grade.value = undefined)
  try {
    grade.value = await askGrade()
    gradeProblem.value = ''
  } catch (e) {
    grade.value = undefined
    gradeProblem.value = e instanceof Problem ? (e.doc.errors?.map((f) => f.field.replace('facts.', '') + ' ' + f.detail).join('; ') ?? e.message) : words(e)
  }
}, 150), { immediate: true })

const vendorOptions = computed(() => vendors.data.value?.items.map((v) => ({ label: v.name, value: v.key })) ?? [])
const vendor = computed(() => vendors.data.value?.items.find((v) => v.key === form.vendor))
const kinds = ['fault', 'question', 'capacity', 'money', 'licence', 'purchase', 'wish', 'task', 'part', 'visit', 'access'].map((k) => ({ label: k, value: k }))
const choices = [
  { key: 'effect', label: 'The service is', words: { stopped: 'stopped', degraded: 'degraded', inconvenient: 'inconvenient', none: 'fine' } },
  { key: 'reach', label: 'For whom?', words: { everyone: 'everyone', many: 'many', few: 'few', one: 'one' } },
  { key: 'workaround', label: 'A way round?', words: { none: 'none', costly: 'costly', acceptable: 'acceptable' } },
  { key: 'environment', label: 'Where?', words: { production: 'production', other: 'elsewhere' } },
] as const
const stories = [
  { key: 'happened', label: 'What happened', rows: 3 }, { key: 'expected', label: 'What was expected', rows: 1 }, { key: 'steps', label: 'Steps', rows: 2 },
  { key: 'since', label: 'Since when', rows: 1 }, { key: 'tried', label: 'Tried already', rows: 1 }, { key: 'contact', label: 'Whom they may ask', rows: 1 }, { key: 'contact_always', label: 'Reachable round the clock', rows: 1 },
] as const
const needs = computed(() => draft.value?.needs ?? [])
const musts = computed(() => needs.value.filter((n) => n.weight === 'must').length)
const criteria = computed(() => draft.value?.level_held?.criteria ?? [])
const firsts = computed(() => grade.value?.promises?.filter((p) => p.deadline === 'first-response' && p.due) ?? [])
const update = computed(() => grade.value?.promises?.find((p) => p.deadline === 'update'))
const answered = computed(() => choices.filter((c) => form.facts[c.key]).length + 1)
const severities = ['Stopped', 'Impaired', 'Hampered', 'Minor'].map((w, i) => ({ label: `${i + 1} ${w}`, value: i + 1 }))

async function attest(id: number) {
  await chain
  try {
    const done = await takeStep(draft.value!.line.number, etag.value, { step: 'attest', criterion: id })
    draft.value = done.data
    etag.value = done.etag
  } catch (e) {
    problem.value = words(e)
  }
}
async function look() {
  await later()
  await chain
  if (!(await save())) return
  looking.value = true
  setTimeout(() => document.querySelector<HTMLElement>('[data-testid="file"]')?.focus(), 50)
}
const channels: Record<string, string> = { api: 'its API', portal: 'its portal', mail: 'mail', phone: 'phone', chat: 'chat' }
const routes = computed(() => draft.value?.routes ?? [])
const picked = ref<string>()
const via = computed(() => routes.value.find((r) => routeKey(r) === picked.value) ?? routes.value[0])
const way = computed(() => (via.value ? 'by ' + routeWords(via.value, routes.value, channels) : ''))
async function file() {
  filing.value = true
  try {
    const done = await takeStep(draft.value!.line.number, etag.value, { step: 'file', channel: via.value?.channel, link: via.value?.link })
    looking.value = false
    await router.push(`/cases/${done.data.line.number}`)
  } catch (e) {
    looking.value = false
    problem.value = words(e)
  } finally {
    filing.value = false
  }
}
async function keep() {
  await chain
  if (draft.value || (await save())) {
    refresh(queries)
    await router.push('/cases?state=draft')
  }
}
</script>

<template>
  <div class="row" style="margin-bottom: 10px; align-items: baseline"><h1>Open a case</h1><span class="sub">{{ draft ? draft.line.number + ', draft' : 'not yet a draft' }}</span></div>
  <div class="cols">
    <div>
      <section class="panel part" aria-labelledby="p1">
        <h2 id="p1"><span class="mono n">1</span> What, and on what</h2>
        <div class="field"><label for="title">What is it</label><NInput v-model:value="form.title" :maxlength="200" placeholder="One line by which it is recognised in a list" :input-props="attrs({ id: 'title', 'data-testid': 'title' })" /></div>
        <div class="field">
          <label for="asset">On which asset</label>
          <div>
            <input id="asset" v-model="assetWords" class="in" list="asset-list" autocomplete="off" data-testid="asset" placeholder="Serial, name or identifier; empty if none" @input="lookForAsset" />
            <datalist id="asset-list"><option v-for="x in assetHits" :key="x.id" :value="x.name">{{ x.title }}, {{ x.detail }}</option></datalist>
          </div>
        </div>
        <div class="field">
          <span class="label" id="l-vendor">With which vendor</span>
          <div>
            <NSelect v-model:value="form.vendor" filterable :disabled="!!draft" :options="vendorOptions" placeholder="Choose a vendor" :input-props="attrs({ 'aria-labelledby': 'l-vendor' })" data-testid="vendor" :menu-props="attrs({ 'data-testid': 'vendor-menu' })" :node-props="(o) => attrs({ 'data-testid': 'vendor-opt-' + o.value })" />
            <p v-if="vendor" class="sub small">{{ vendor.open ? 'open' : 'closed' }} there<template v-if="vendor.until"> till {{ short(vendor.until, now, vendor.zone) }} their time</template></p>
          </div>
        </div>
        <div v-if="form.vendor" class="field"><span class="label" id="l-contract">Under which contract</span><NSelect v-model:value="form.contract" clearable :options="contractOptions" placeholder="the one that covers it" :input-props="attrs({ 'aria-labelledby': 'l-contract' })" data-testid="contract" /></div>
        <div class="field"><label for="onwhat">On what</label><NInput v-model:value="form.texts.on_what" placeholder="Service, machine, account, with its serial or number" :input-props="attrs({ id: 'onwhat', 'data-testid': 'on-what' })" /></div>
        <div class="field"><span class="label" id="l-kind">Kind</span><div class="row"><NSelect v-model:value="form.kind" :options="kinds" style="max-width: 180px" :input-props="attrs({ 'aria-labelledby': 'l-kind' })" /><label for="ticket" class="sub">our ticket</label><NInput v-model:value="form.ticket" style="max-width: 160px" placeholder="" :input-props="attrs({ id: 'ticket' })" /></div></div>
      </section>
      <section class="panel part" aria-labelledby="p2">
        <h2 id="p2"><span class="mono n">2</span> How bad <span class="sub small">{{ answered }} of 5 answered</span></h2>
        <div v-for="c in choices" :key="c.key" class="field">
          <span :id="`l-${c.key}`" class="label">{{ c.label }}</span>
          <div class="segments" role="radiogroup" :aria-labelledby="`l-${c.key}`">
            <label v-for="(w, v) in c.words" :key="v" :data-testid="`${c.key}-${v}`"><input type="radio" :name="c.key" :value="v" :checked="form.facts[c.key] === v" @change="(form.facts as Record<string, unknown>)[c.key] = v" />{{ w }}</label>
          </div>
        </div>
        <div class="field">
          <span id="l-exposure" class="label">Losing data or open to attack, right now?</span>
          <div class="segments" role="radiogroup" aria-labelledby="l-exposure">
            <label><input type="radio" name="exposure" :checked="!form.facts.exposure" @change="form.facts.exposure = false" />no</label>
            <label><input type="radio" name="exposure" :checked="form.facts.exposure" @change="form.facts.exposure = true" />yes</label>
          </div>
        </div>
        <div class="grade" aria-live="polite">
          <template v-if="grade">
            <SeverityPlate large :severity="grade.severity" :word="grade.word" />
            <div data-testid="grade">
              <p><b>Severity {{ grade.severity }}, {{ grade.word }}</b> <span class="sub">because {{ grade.reasons.join('; ') }}</span></p>
              <p v-if="grade.level">Theirs: <b>“{{ grade.level.label }}”</b><template v-for="(p, i) in firsts" :key="i">{{ i ? ', or' : ' · first response' }} within {{ p.target }}: by <b>{{ short(p.due!, now) }}</b><span v-if="firsts.length > 1 && p.contract" class="sub"> under {{ p.contract }}</span></template><template v-if="!firsts.length"> · no first response is promised</template><template v-if="update">, an update every {{ update.target }}</template></p>
              <p v-if="grade.warning" class="warn">{{ grade.warning }}</p>
              <template v-if="draft">
                <p v-for="c in criteria" :key="c.id" class="criterion"><AttestTick :done="!!c.attested_by" />{{ c.text }} <span v-if="c.attested_by" class="sub">· attested by {{ c.attested_by }}</span><button v-else class="linkish" type="button" :data-testid="`attest-${c.id}`" @click="attest(c.id)">attest</button></p>
              </template>
              <div class="row other"><span class="sub" id="l-other">Another level?</span><NSelect v-model:value="form.severity" clearable size="small" :options="severities" placeholder="as the facts say" style="width: 160px" :input-props="attrs({ 'aria-labelledby': 'l-other' })" /><NInput v-if="form.severity && form.severity !== grade.supported" v-model:value="form.severity_reason" size="small" placeholder="Why" :input-props="attrs({ 'aria-label': 'Why another level' })" /></div>
            </div>
          </template>
          <p v-else class="sub">{{ gradeProblem || 'The severity follows from the answers, with its reasons.' }}</p>
        </div>
      </section>
      <section class="panel part" aria-labelledby="p3">
        <h2 id="p3"><span class="mono n">3</span> Tell them</h2>
        <div v-for="q in draft?.asked" :key="q.key" class="field">
          <label :for="`q-${q.key}`">{{ q.label }}<span v-if="q.hint" class="sub small asks">{{ q.hint }}</span></label>
          <div>
            <select v-if="q.type === 'choice'" :id="`q-${q.key}`" v-model="form.answers[q.key]" class="in" :data-testid="`q-${q.key}`"><option value="">not said</option><option v-for="c in q.choices" :key="c">{{ c }}</option></select>
            <textarea v-else-if="q.type === 'long'" :id="`q-${q.key}`" v-model="form.answers[q.key]" class="in" rows="2" :data-testid="`q-${q.key}`" />
            <input v-else :id="`q-${q.key}`" v-model="form.answers[q.key]" class="in" :list="q.choices?.length ? `c-${q.key}` : undefined" :type="q.type === 'date' ? 'date' : 'text'" :placeholder="q.given ? '' : q.answer" :data-testid="`q-${q.key}`" />
            <datalist v-if="q.type !== 'choice' && q.choices?.length" :id="`c-${q.key}`"><option v-for="c in q.choices" :key="c" :value="c" /></datalist>
            <p v-if="q.answer && !q.given && !form.answers[q.key]" class="sub small">{{ q.answer }}, from the register</p>
            <p v-if="q.problem" class="warn small">{{ q.problem }}</p>
          </div>
        </div>
        <div v-for="s in stories" :key="s.key" class="field">
          <label :for="`t-${s.key}`">{{ s.label }}</label>
          <NInput v-model:value="form.texts[s.key]" :type="s.rows > 1 ? 'textarea' : 'text'" :autosize="s.rows > 1 ? { minRows: s.rows, maxRows: 14 } : undefined" placeholder="" :input-props="attrs({ id: `t-${s.key}`, 'data-testid': s.key })" />
        </div>
      </section>
    </div>
    <aside>
      <h2>Before it goes</h2>
      <p v-if="!draft" class="sub">What is missing stands here as soon as it has a title and a vendor.</p>
      <p v-for="n in needs" :key="n.text" class="need"><span class="mono" :class="n.weight">{{ n.weight }}</span>{{ n.text }}</p>
      <p v-if="draft && !musts" class="need"><span class="mono ok">ok</span>Nothing is missing that must be there</p>
      <h2 style="margin-top: 20px">What happens then</h2>
      <p class="sub">Goes to {{ vendor?.name ?? 'the vendor' }} {{ way }}. <template v-if="via?.automatic">Its clock starts when it is filed. Until it has arrived, nothing counts.</template><template v-else>You take it there: the text stands ready to be copied. Its clock starts at the instant that you say it went.</template></p>
      <div class="row" style="margin: 12px 0"><NButton type="primary" :disabled="!draft || musts > 0" data-testid="last-look" @click="look">Last look…</NButton><NButton :disabled="!form.title.trim() || !form.vendor" data-testid="keep-draft" @click="keep">Keep as draft</NButton></div>
      <p v-if="problem" class="problem" role="alert" data-testid="open-problem">{{ problem }}</p>
      <p class="sub small" role="status">{{ saving ? 'Saving…' : saved ? 'Saved ' + saved.toLocaleTimeString('en-GB') : '' }}</p>
    </aside>
  </div>
  <NModal v-if="looking && draft" show :auto-focus="false" :trap-focus="false" @update:show="(s: boolean) => (looking = s)">
    <div class="panel dialog" role="dialog" aria-modal="true" aria-labelledby="look-title" data-testid="last-look-dialog" @keydown="trap" @keydown.esc="looking = false">
      <h1 id="look-title">The last look</h1>
      <p class="sub">This leaves the house, to {{ draft.line.vendor }}, {{ way }}, at level “{{ draft.level_held?.label }}”<template v-if="!via?.automatic">; you take it there yourself</template>.</p>
      <div v-if="routes.length > 1" class="segments" role="radiogroup" aria-label="By which channel" style="margin-top: 8px"><label v-for="r in routes" :key="routeKey(r)" :data-testid="'route-' + routeKey(r)"><input type="radio" name="route" :value="routeKey(r)" :checked="via === r" @change="picked = routeKey(r)" />by {{ routeWords(r, routes, channels) }}</label></div>
      <p style="margin-top: 12px"><b>{{ draft.line.title }}</b></p>
      <pre>{{ draft.preview }}</pre>
      <div class="row"><NButton type="primary" :loading="filing" data-testid="file" @click="file">{{ via?.automatic ? 'File it with ' + draft.line.vendor : 'Make it ready to take there' }}</NButton><NButton @click="looking = false">Not yet</NButton></div>
    </div>
  </NModal>
</template>

<script lang="ts">
import { h } from 'vue'
import { attrs } from '../shared/attrs'
const AttestTick = (p: { done: boolean }) =>
  h('svg', { viewBox: '0 0 12 12', width: 12, height: 12, 'aria-hidden': 'true' }, [
    p.done ? h('path', { d: 'M1.5 6.5l3 3 6-7', fill: 'none', stroke: 'currentColor', 'stroke-width': 1.8 }) : h('path', { d: 'M2 6h8', stroke: 'currentColor', 'stroke-width': 1.6 }),
  ])
</script>

<style scoped>
.cols { display: grid; grid-template-columns: minmax(0, 1fr) 300px; gap: 26px; }
.part { padding: 12px 16px 16px; margin-bottom: 12px; }
.n { color: var(--brass); margin-right: 8px; }
h2 .small { float: right; font-weight: 400; }
.grade { display: flex; gap: 16px; margin-top: 16px; padding-top: 12px; border-top: 1px solid var(--line2); min-height: 58px; }
.warn { color: var(--soon); }
.criterion { display: flex; gap: 6px; align-items: center; margin-top: 4px; }
.criterion svg { flex: none; }
.other { margin-top: 8px; }
.asks { display: block; }
aside h2 { border-bottom: 1px solid var(--line2); padding-bottom: 5px; margin-bottom: 4px; }
.need { display: flex; gap: 9px; padding: 6px 0; border-bottom: 1px solid var(--line2); }
.need .must { color: var(--late); }
.need .may { color: var(--brass); }
.need .ok { color: var(--run); }
.dialog { width: 760px; max-width: calc(100vw - 24px); padding: 20px 24px; color: var(--ink); }
pre { white-space: pre-wrap; overflow-wrap: anywhere; font: inherit; max-height: 46vh; overflow: auto; border: 1px solid var(--line2); border-radius: 4px; padding: 10px 14px; background: var(--paper); margin: 6px 0 16px; }
@media (max-width: 900px) { .cols { grid-template-columns: 1fr; } }
</style>
