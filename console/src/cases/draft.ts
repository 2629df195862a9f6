import { useQueryClient } from '@tanstack/vue-query'
import { useDebounceFn } from '@vueuse/core'
import { computed, inject, onScopeDispose, provide, reactive, ref, watch, type InjectionKey } from 'vue'
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
  type Schemas,
  type StepBody,
} from '../shared/api'
import { refresh } from '../shared/queries'
import { empty, flat, formOf, put, same, takeIn, typed, type Flat, type Form, type Value } from './merge'
import { useCase, useSteps } from './queries'

const local = 'roundhouse.open'
const unsaved = (name: string) => `${local}.${name}`
const version = (tag: string) => Number(/\d+/.exec(tag)?.[0])
const newer = (a: string, b: string) => version(a) > version(b)

/**
 * What is being begun, kept until the desk has said that it is there. Whoever reloads the page meanwhile asks for the
 * same once more, with the same key: it is begun once, and what was typed since is added to it.
 */
type Beginning = { key: string; body: Schemas['NewCase']; sent: Flat }
const begins = 'roundhouse.open-begins'
const begunHere = () => JSON.parse(localStorage.getItem(begins) ?? 'null') as Beginning | null

async function post(b: Beginning) {
  localStorage.setItem(begins, JSON.stringify(b))
  const forget = () => begunHere()?.key === b.key && localStorage.removeItem(begins)
  for (let tries = 1; ; tries++) {
    try {
      const made = await whole(
        client.POST('/cases', { params: { header: { 'Idempotency-Key': b.key } }, body: b.body }),
      )
      forget()
      return made
    } catch (e) {
      if (!unclear(e)) forget()
      // The page that was reloaded has asked already, and is being answered.
      if (!(e instanceof Problem) || e.kind !== 'key-busy' || tries === 5) throw e
    }
    await new Promise((done) => setTimeout(done, 300 * tries))
  }
}

// What begins on a page that somebody has just left is known to the next page, or it would begin once more there.
let leaving: Promise<unknown> | undefined

/** A field that somebody else has changed as well, with what they wrote and what it said before both. */
export type Clash = { field: string; theirs: Value; was: Value }

/**
 * The draft that the page works on: saved as one types, first in this browser, then on the desk. Without a name it is
 * begun with what is typed first, and begun is told its name.
 */
function useDraft(name: string, begun: (name: string) => void) {
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
  /** Until the draft is there nothing can be typed: it would be lost when the draft comes. */
  const started = ref(false)
  const ready = computed(() => (name ? !!draft.value : started.value))
  // The asset as it is named in the field.
  const assetWords = ref('')
  let beginning: Beginning | null = null
  let here = true
  onScopeDispose(() => {
    here = false
    if (!name && (dirty || saving.value)) leaving = inTurn(saveTyped).finally(() => (leaving = undefined))
  })
  let dirty = false // something was typed that the desk does not have

  // What the desk had when the form was read or saved last, and where somebody else has changed what is typed here.
  let base: Flat = flat(empty())
  const clashes = ref<Clash[]>([])
  /** What is typed here that the desk does not have. */
  const mine = (): Flat => Object.fromEntries(Object.entries(flat(form)).filter(([f, v]) => !same(v, base[f])))

  /**
   * Takes what the desk has of the draft; saved are the fields that were just sent. Where somebody else changed what
   * is typed here, the person decides.
   */
  function takeFrom(c: Case, tag: string, saved: Flat = {}) {
    const theirs = formOf(c)
    const asset = form.asset
    const before = { ...base, ...saved }
    const both = takeIn(form, before, theirs)
    base = flat(theirs)
    draft.value = c
    etag.value = tag
    clashes.value = clashes.value.map((x) => ({ ...x, theirs: base[x.field] }))
    for (const field of both) ask(field, before[field])
    if (form.asset !== asset || !assetWords.value) assetWords.value = c.asset ?? ''
  }

  /** Lets the person decide about a field that somebody else changed too. */
  function ask(field: string, was: Value) {
    if (!clashes.value.some((x) => x.field === field))
      clashes.value = [...clashes.value, { field, theirs: base[field], was }]
  }

  async function load(name: string) {
    const got = await read(name)
    if (got.data.line.state !== 'draft') return void router.replace(`/cases/${got.data.line.number}`)
    base = {}
    clashes.value = []
    assetWords.value = ''
    Object.assign(form, empty(), formOf(got.data))
    takeFrom(got.data, got.etag)
    const kept = localStorage.getItem(unsaved(name))
    if (!kept) return
    const { was, now } = JSON.parse(kept) as { was: Flat; now: Flat }
    for (const [field, v] of Object.entries(now)) {
      if (same(base[field], v)) continue
      put(form, field, v)
      if (!same(base[field], was[field])) ask(field, was[field])
    }
    dirty = true
    void later()
  }

  const assetOf = (id: number) => ok(client.GET('/assets/{id}', { params: { path: { id } } }))

  /** Takes an asset of the register, and with it what is known of it. */
  async function choose(id: number) {
    const a = await assetOf(id)
    assetWords.value = a.facts.name
    // With a reseller the asset is the maker's.
    const through = form.maker === a.facts.vendor
    Object.assign(form, { asset: a.id, account: null, contract: null })
    if (!through) Object.assign(form, { vendor: a.facts.vendor, maker: null })
    form.unsorted.product = ''
    if (!form.texts.affected)
      form.texts.affected = [a.facts.name, a.facts.serial ?? a.facts.resource_id].filter(Boolean).join(', ')
    if (!form.facts.environment && a.facts.environment) form.facts.environment = a.facts.environment as 'production'
  }

  const start = () => (name ? load(name) : leaving ? leaving.then(goOn) : goOn())
  function goOn() {
    const kept = localStorage.getItem(local)
    if (kept) {
      beginning = begunHere()
      Object.assign(form, empty(), JSON.parse(kept) as Form)
    }
    started.value = true
    return beginWith()
  }
  void start().catch((e) => (problem.value = words(e)))

  /** One can begin with an asset, a contract, a vendor, an earlier case, or a line of text. */
  async function beginWith() {
    const { asset, contract, vendor, like, follows, title } = route.query
    // What was typed here before and not saved is gone on with, but about this.
    if (asset || contract || vendor) Object.assign(form, { asset: null, account: null, contract: null, maker: null })
    else if (form.asset) assetWords.value = (await assetOf(form.asset)).facts.name
    if (typeof title === 'string') form.title = title
    if (typeof vendor === 'string') form.vendor = vendor
    if (Number(asset)) await choose(Number(asset))
    if (Number(contract)) {
      const k = await ok(client.GET('/contracts/{id}', { params: { path: { id: Number(contract) } } }))
      Object.assign(form, { vendor: k.facts.vendor, contract: k.id })
    }
    const from = typeof like === 'string' ? { like } : typeof follows === 'string' ? { follows } : undefined
    if (!from) return
    const before = begunHere()
    const again = before && JSON.stringify(before.body) === JSON.stringify(from)
    const made = await post(again ? before : { key: newKey(), body: from, sent: {} })
    if (here) await router.replace(`/open/${made.data.line.number}`)
  }

  // Not what the form of this kind does not ask for, nor what somebody else has changed as well.
  const left = (field: string) => {
    const asked = draft.value?.line.kind === form.kind ? (draft.value.asked ?? []).map((q) => 'answers.' + q.key) : []
    return (
      clashes.value.some((x) => x.field === field) ||
      (field.startsWith('answers.') && asked.length > 0 && !asked.includes(field))
    )
  }

  const asTyped = (): Beginning => ({
    key: newKey(),
    sent: flat(form),
    body: {
      title: form.title.trim(),
      kind: form.kind as 'fault',
      facts: { ...form.facts }, // as they are now: asked once more, it is asked the same
      texts: { ...form.texts },
      severity_reason: form.severity_reason,
      go_on_reason: form.go_on_reason || undefined,
      unsorted: { ...form.unsorted },
      vendor: form.vendor ?? undefined,
      maker: form.maker ?? undefined,
      asset: form.asset ?? undefined,
      account: form.account ?? undefined,
      contract: form.contract ?? undefined,
      severity: form.severity ?? undefined,
      ticket: form.ticket || undefined,
    },
  })

  async function begin() {
    beginning ??= asTyped()
    const { sent } = beginning
    try {
      const made = await post(beginning)
      beginning = null
      takeFrom(made.data, made.etag, sent)
    } catch (e) {
      if (!unclear(e)) beginning = null // else the same is asked again, which finds out whether it was done
      throw e
    }
    const { number } = draft.value!.line
    const more = Object.keys(mine()).length > 0 // typed since it was asked for
    if (more) keepHere()
    localStorage.removeItem(local)
    // Who has gone on to another page stays there.
    if (here) {
      begun(number)
      await router.replace(`/open/${number}`)
    }
    if (more) await change(number)
  }

  async function change(name: string) {
    const sent = flat(form)
    const body = typed(base, form, left)
    if (Object.keys(body).length > 0) {
      const done = await whole(
        client.PATCH('/cases/{case}', {
          params: { path: { case: name }, header: { 'If-Match': etag.value } },
          body,
          headers: { 'Content-Type': 'application/merge-patch+json' },
        }),
      )
      takeFrom(done.data, done.etag, Object.fromEntries(Object.entries(sent).filter(([f]) => !left(f))))
    }
    if (!dirty) localStorage.removeItem(unsaved(name))
  }

  async function save(): Promise<boolean> {
    if (!(form.vendor || form.unsorted.vendor.trim()) || !form.title.trim()) return false
    saving.value = true
    problem.value = ''
    dirty = false
    try {
      await (draft.value ? change(draft.value.line.number) : begin())
      saved.value = new Date()
      return true
    } catch (e) {
      dirty = true
      if (e instanceof Problem && e.kind === 'stale' && draft.value) return await meanwhile()
      problem.value = words(e)
      return false
    } finally {
      saving.value = false
    }
  }

  function read(name: string) {
    return whole(client.GET('/cases/{case}', { params: { path: { case: name } } }))
  }

  /** Reads the draft as the desk has it now; false where that failed, and why stands on the page. */
  async function again(): Promise<boolean> {
    try {
      const now = await read(draft.value!.line.number)
      takeFrom(now.data, now.etag)
      return true
    } catch (e) {
      problem.value = words(e)
      return false
    }
  }

  /** Reads what somebody else has done to the draft meanwhile. */
  async function meanwhile(): Promise<boolean> {
    if (await again()) void later()
    return false
  }
  // One thing after the other: each goes with the version that the one before it left.
  let chain = Promise.resolve<unknown>(undefined)
  function inTurn<T>(fn: () => Promise<T>): Promise<T> {
    const done = chain.then(fn)
    chain = done.catch(() => undefined)
    return done
  }
  const saveTyped = async () => (dirty || !draft.value ? save() : true)
  const later = useDebounceFn(async () => {
    if (here || draft.value) await inTurn(saveTyped)
  }, 600)
  watch(
    form,
    () => {
      if (!dirty && Object.keys(mine()).length === 0) return // it was filled in, not typed
      dirty = true
      keepHere()
      void later()
    },
    { deep: true },
  )

  if (beginning) {
    dirty = true // of what the page before this one asked for, nobody knows yet whether it is there
    void later()
  }

  /** Keeps in this browser what the desk does not have yet: it comes back after a crash or a sign-in. */
  function keepHere() {
    if (!draft.value) return localStorage.setItem(local, JSON.stringify(form))
    const now = mine()
    const first = Object.fromEntries(clashes.value.map((x) => [x.field, x.was]))
    const was = Object.fromEntries(Object.keys(now).map((f) => [f, f in first ? first[f] : base[f]]))
    localStorage.setItem(unsaved(draft.value.line.number), JSON.stringify({ was, now }))
  }

  /** Decides about a field that somebody else has changed as well. */
  function decide(field: string, mine: boolean) {
    const clash = clashes.value.find((x) => x.field === field)
    clashes.value = clashes.value.filter((x) => x.field !== field)
    if (!mine) put(form, field, clash?.theirs)
    dirty = true
    void later()
  }

  const decided = () => {
    if (clashes.value.length) problem.value = 'First choose between your version and theirs, at the top.'
    return clashes.value.length === 0
  }
  /** Saves what was typed last; false where that failed, or where something is still to be decided. */
  const settle = () => inTurn(async () => (await saveTyped()) && decided())

  // What somebody else changes meanwhile appears by itself, between two saves.
  const seen = useCase(computed(() => (draft.value && !clashes.value.length ? draft.value.line.number : '')))
  watch(seen.data, (now) =>
    inTurn(async () => {
      const was = draft.value?.line
      if (!now || now.data.line.number !== was?.number || was.state !== 'draft' || !newer(now.etag, etag.value)) return
      if (now.data.line.state === 'draft') return takeFrom(now.data, now.etag)
      problem.value = `${was.number} is no longer a draft: what you typed since then is not in it.`
    }),
  )

  /** Reads the draft anew, with what filing it would start. */
  const reread = () => inTurn(again)

  /**
   * Does a step of the draft; undefined where it was refused, and why stands on the page, unless that is a question of
   * the asker's own.
   */
  const step = (body: StepBody, asks?: (e: unknown) => boolean): Promise<Case | undefined> =>
    inTurn(async () => {
      if (!(await saveTyped()) || !decided()) return undefined
      try {
        const done = await takeStep(draft.value!.line.number, etag.value, body)
        takeFrom(done.data, done.etag)
        return done.data
      } catch (e) {
        if (!asks?.(e)) problem.value = words(e)
      }
    })

  async function keep() {
    if (await settle()) {
      refresh(queries)
      await router.push('/cases?state=draft')
    }
  }
  const acts = { choose, settle, reread, step, keep, decide }
  return reactive({ form, draft, ready, problem, saved, saving, assetWords, clashes, ...acts })
}

type DraftDesk = ReturnType<typeof useDraft>
const onPage: InjectionKey<DraftDesk> = Symbol('draft')

/** Makes the draft of a page, for its parts too. */
export function provideDraft(name: string, begun: (name: string) => void): DraftDesk {
  const d = useDraft(name, begun)
  provide(onPage, d)
  return d
}

/** The draft of the page that a part is on. */
export const useDraftHere = (): DraftDesk => inject(onPage)!
