import { useQueryClient } from '@tanstack/vue-query'
import { useDebounceFn } from '@vueuse/core'
import { inject, provide, reactive, ref, watch, type InjectionKey } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import {
  client,
  newKey,
  ok,
  Problem,
  unclear,
  whole,
  words,
  type Case,
  type Facts,
  type StepBody,
  type Texts,
} from '../shared/api'
import { refresh } from '../shared/queries'
import { useSteps } from './queries'

/** What is typed into the page on which a case is opened. */
export type Form = {
  vendor: string | null
  asset: number | null
  contract: number | null
  title: string
  kind: string
  facts: Facts
  texts: Texts
  answers: Record<string, string>
  severity: number | null
  severity_reason: string
  ticket: string
}
const empty = (): Form => ({
  vendor: null,
  asset: null,
  contract: null,
  title: '',
  kind: 'fault',
  facts: {},
  texts: {},
  answers: {},
  severity: null,
  severity_reason: '',
  ticket: '',
})
const local = 'roundhouse.open'

/** The draft that the page works on: saved as one types, first in this browser, then on the desk. */
function useDraft() {
  const route = useRoute()
  const router = useRouter()
  const queries = useQueryClient()
  const takeStep = useSteps()
  const form = reactive<Form>(empty())
  const draft = ref<Case>()
  const etag = ref('')
  const problem = ref('')
  const saved = ref<Date>()
  const saving = ref(false)
  // The asset as it is named in the field.
  const assetWords = ref('')
  let key = newKey()
  let quiet = false // filling the form is not typing
  let dirty = false // something was typed that the desk does not have

  const quietly = (fill: () => void) => {
    quiet = true
    fill()
    setTimeout(() => (quiet = false))
  }

  function fill(c: Case) {
    quietly(() =>
      Object.assign(form, {
        vendor: c.line.vendor_key,
        asset: c.asset_id ?? null,
        contract: c.contract_id ?? null,
        title: c.line.title,
        kind: c.line.kind,
        facts: { ...c.facts },
        texts: { ...c.texts },
        answers: Object.fromEntries((c.asked ?? []).filter((q) => q.given).map((q) => [q.key, q.answer])),
        severity: c.severity_supported && c.line.severity !== c.severity_supported ? c.line.severity : null,
        severity_reason: c.severity_chosen_because ?? '',
        ticket: c.references.find((r) => r.whose === 'ours')?.value ?? '',
      }),
    )
    assetWords.value = c.asset ?? ''
  }

  async function load(name: string) {
    const got = await whole(client.GET('/cases/{case}', { params: { path: { case: name } } }))
    if (got.data.line.state !== 'draft') return void router.replace(`/cases/${got.data.line.number}`)
    draft.value = got.data
    etag.value = got.etag
    fill(got.data)
  }

  /** Takes an asset of the register, and with it what is known of it. */
  async function choose(id: number) {
    const a = await ok(client.GET('/assets/{id}', { params: { path: { id } } }))
    if (draft.value && a.facts.vendor !== form.vendor) {
      problem.value = `${a.facts.name} belongs to ${a.vendor_name}; this draft is for another vendor.`
      return
    }
    assetWords.value = a.facts.name
    Object.assign(form, { asset: a.id, contract: null, vendor: a.facts.vendor })
    if (!form.texts.affected)
      form.texts.affected = [a.facts.name, a.facts.serial ?? a.facts.resource_id].filter(Boolean).join(', ')
    if (!form.facts.environment && a.facts.environment) form.facts.environment = a.facts.environment as 'production'
  }

  watch(
    () => route.params.name,
    (n) => {
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
    },
    { immediate: true },
  )

  const head = () => {
    // Only what the form of this kind asks for: what was answered for another kind stays here.
    const asked = draft.value?.line.kind === form.kind ? (draft.value.asked ?? []).map((q) => q.key) : []
    const answers = asked.length
      ? Object.fromEntries(Object.entries(form.answers).filter(([k]) => asked.includes(k)))
      : undefined
    return {
      title: form.title.trim(),
      kind: form.kind as 'fault',
      facts: form.facts,
      texts: form.texts,
      answers,
      severity_reason: form.severity_reason,
    }
  }

  async function begin() {
    const made = await whole(
      client.POST('/cases', {
        params: { header: { 'Idempotency-Key': key } },
        body: {
          ...head(),
          vendor: form.vendor!,
          asset: form.asset ?? undefined,
          contract: form.contract ?? undefined,
          severity: form.severity ?? undefined,
          ticket: form.ticket || undefined,
        },
      }),
    )
    draft.value = made.data
    etag.value = made.etag
    localStorage.removeItem(local)
    await router.replace(`/open/${made.data.line.number}`)
  }

  async function change(name: string) {
    const done = await whole(
      client.PATCH('/cases/{case}', {
        params: { path: { case: name }, header: { 'If-Match': etag.value } },
        body: {
          ...head(),
          asset: form.asset,
          contract: form.contract,
          severity: form.severity,
          ticket: form.ticket || null,
        },
        headers: { 'Content-Type': 'application/merge-patch+json' },
      }),
    )
    draft.value = done.data
    etag.value = done.etag
  }

  async function save(): Promise<boolean> {
    if (!form.vendor || !form.title.trim()) return false
    saving.value = true
    problem.value = ''
    dirty = false
    try {
      await (draft.value ? change(draft.value.line.number) : begin())
      const contract = draft.value?.contract_id
      if (contract && form.contract !== contract) quietly(() => (form.contract = contract))
      saved.value = new Date()
      return true
    } catch (e) {
      dirty = true
      problem.value = words(e)
      if (!unclear(e)) key = newKey() // else the same key finds out whether it was done
      if (e instanceof Problem && e.kind === 'stale' && draft.value) {
        problem.value = 'Somebody else has changed this draft. Your text is still here; saving again replaces theirs.'
        const path = { case: draft.value.line.number }
        etag.value = (await whole(client.GET('/cases/{case}', { params: { path } }))).etag
      }
      return false
    } finally {
      saving.value = false
    }
  }
  // One thing after the other: each goes with the version that the one before it left.
  let chain = Promise.resolve<unknown>(undefined)
  function inTurn<T>(fn: () => Promise<T>): Promise<T> {
    const done = chain.then(fn)
    chain = done.catch(() => undefined)
    return done
  }
  const saveTyped = async () => (dirty || !draft.value ? save() : true)
  const later = useDebounceFn(() => inTurn(saveTyped), 600)
  watch(
    form,
    () => {
      if (quiet) return
      dirty = true
      if (!draft.value) localStorage.setItem(local, JSON.stringify(form))
      void later()
    },
    { deep: true },
  )

  /** Saves what was typed last; false where that failed. */
  const settle = () => inTurn(saveTyped)

  /** Does a step of the draft; undefined where it was refused, and why stands on the page. */
  const step = (body: StepBody): Promise<Case | undefined> =>
    inTurn(async () => {
      if (!(await saveTyped())) return undefined
      try {
        const done = await takeStep(draft.value!.line.number, etag.value, body)
        draft.value = done.data
        etag.value = done.etag
        return done.data
      } catch (e) {
        problem.value = words(e)
      }
    })

  async function keep() {
    if (await settle()) {
      refresh(queries)
      await router.push('/cases?state=draft')
    }
  }
  return reactive({ form, draft, problem, saved, saving, assetWords, choose, settle, step, keep })
}

type DraftDesk = ReturnType<typeof useDraft>
const here: InjectionKey<DraftDesk> = Symbol('draft')

/** Makes the draft of a page, for its parts too. */
export function provideDraft(): DraftDesk {
  const d = useDraft()
  provide(here, d)
  return d
}

/** The draft of the page that a part is on. */
export const useDraftHere = (): DraftDesk => inject(here)!
