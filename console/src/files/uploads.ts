import type { DetailedError, Upload } from 'tus-js-client'
import { computed, reactive, type Ref } from 'vue'
import { Problem, type Schemas } from '../shared/api'

/** A file on its way to a case. */
export interface Coming {
  id: number
  case: string
  name: string
  bytes: number
  sent: number
  state: 'waiting' | 'sending' | 'broken' | 'failed'
  problem: string
  /** Why none of the vendor's channels takes it. */
  unfit: string
  /** Whether it can be tried again as it is. */
  again: boolean
}

// Uploads go on while one looks at other pages.
const coming = reactive<Coming[]>([])
const running = new Map<number, Upload>()
const sources = new Map<number, { file: File; how: How; done: Done }>()
/** Whether only those on the case see it, and which of the files that the vendor wants it is. */
export interface How {
  /** It is a paper of the register: the case is then its owner, as asset/12. */
  paper?: boolean
  caption?: string
  sensitive?: boolean
  for?: string
  /** The number of the picture that it is an edited copy of. */
  from?: number
}
/** What is called after each, with the file's number. */
type Done = (number: number | undefined) => void
const atOnce = 3
let last = 0

/** Files that arrived and that no channel of the vendor takes. */
const unfit = reactive<{ case: string; name: string; why: string }[]>([])
export const useUnfit = (name: Ref<string>) => computed(() => unfit.filter((u) => u.case === name.value))

/** The files on their way to one case. */
export const useComing = (name: Ref<string>) => computed(() => coming.filter((c) => c.case === name.value))

/** Adds files to a case; done is called after each. */
export function add(name: string, files: Iterable<File>, how: How, done: Done): void {
  for (const file of files) {
    const c: Coming = {
      id: ++last,
      case: name,
      name: file.name,
      bytes: file.size,
      sent: 0,
      state: 'waiting',
      problem: '',
      unfit: '',
      again: true,
    }
    if (file.size === 0) Object.assign(c, { state: 'failed', problem: 'The file is empty.', again: false })
    coming.push(c)
    sources.set(c.id, { file, how, done })
  }
  next()
}

/** Tries one again that failed. It goes on from what has arrived. */
export function again(c: Coming): void {
  Object.assign(c, { state: 'waiting', problem: '' })
  next()
}

/** Takes one out of the list; what has arrived of it is dropped. */
export function cancel(c: Coming): void {
  void running.get(c.id)?.abort(true)
  forget(c)
  next()
}

function forget(c: Coming): void {
  running.delete(c.id)
  sources.delete(c.id)
  const at = coming.findIndex((x) => x.id === c.id)
  if (at >= 0) coming.splice(at, 1)
}

function next(): void {
  const busy = coming.filter((c) => c.state === 'sending' || c.state === 'broken').length
  for (const c of coming.filter((x) => x.state === 'waiting').slice(0, Math.max(0, atOnce - busy))) void send(c)
}

async function send(c: Coming): Promise<void> {
  const source = sources.get(c.id)
  if (!source) return
  c.state = 'sending'
  const tus = await import('tus-js-client')
  const upload = new tus.Upload(source.file, {
    endpoint: '/api/v1/uploads',
    retryDelays: [0, 1000, 2000, 5000, 10_000, 20_000, 30_000],
    removeFingerprintOnSuccess: true,
    metadata: {
      [source.how.paper ? 'paper' : 'case']: c.case,
      filename: c.name,
      sensitive: String(source.how.sensitive ?? false),
      for: source.how.for ?? '',
      from: String(source.how.from ?? ''),
      caption: source.how.caption ?? '',
    },
    fingerprint: (file) =>
      Promise.resolve(['roundhouse', c.case, source.how.sensitive, file.name, file.size, file.lastModified].join('|')),
    onAfterResponse: (_, answer) => {
      c.unfit = answer.getHeader('Roundhouse-Unfit') ?? c.unfit
    },
    onProgress: (sent) => {
      c.sent = sent
      c.state = 'sending'
    },
    onShouldRetry: (e) => {
      const status = (e as DetailedError).originalResponse?.getStatus() ?? 0
      const retry = status === 0 || status === 409 || status === 423 || (status >= 500 && status !== 507)
      if (retry) c.state = 'broken'
      return retry
    },
    onSuccess: ({ lastResponse }) => {
      const { done } = source
      if (c.unfit) unfit.push({ case: c.case, name: c.name, why: c.unfit })
      forget(c)
      done(Number(lastResponse.getHeader('Roundhouse-File')) || undefined)
      next()
    },
    onError: (e) => {
      Object.assign(c, { state: 'failed', ...reason(e) })
      running.delete(c.id)
      next()
    },
  })
  running.set(c.id, upload)
  // What broke off before, in this browser, goes on where it ended.
  const [before] = await upload.findPreviousUploads()
  if (before) upload.resumeFromPreviousUpload(before)
  if (sources.has(c.id)) upload.start()
}

function reason(e: unknown): Pick<Coming, 'problem' | 'again'> {
  const response = (e as DetailedError).originalResponse
  if (!response) return { problem: 'The service cannot be reached.', again: true }
  const status = response.getStatus()
  if (status === 401) window.dispatchEvent(new Event('roundhouse:signed-out'))
  try {
    const doc = JSON.parse(response.getBody()) as Schemas['Problem']
    return { problem: new Problem(status, doc).message, again: status >= 500 || status === 401 }
  } catch {
    return { problem: `The service answered ${status}.`, again: true }
  }
}
