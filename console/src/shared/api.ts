import createClient from 'openapi-fetch'
import type { components, paths } from './api.gen'

export type Schemas = components['schemas']
export type CaseLine = Schemas['CaseLine']
export type Case = Schemas['Case']
export type Entry = Schemas['Entry']
export type Deadline = Schemas['Deadline']
export type Delivery = Schemas['Delivery']
export type Vendor = Schemas['Vendor']
export type Level = Schemas['Level']
export type Facts = Schemas['Facts']
export type Texts = Schemas['Texts']
export type StepBody = Schemas['Step']
export type Standing = Schemas['Standing']
export type Me = Schemas['Me']

/**
 * Asks again where that cannot do a thing twice: what is only read, and what names an
 * Idempotency-Key. The key stays the same, so that what was done already is only told again.
 */
async function asking(input: Request): Promise<Response> {
  const safe = input.method === 'GET' || input.headers.has('Idempotency-Key')
  for (let tries = 0; ; tries++) {
    try {
      const answer = await fetch(input.clone())
      if (answer.status !== 503 || !safe || tries === 2) return answer
    } catch (e) {
      if (!safe || tries === 2 || input.signal.aborted) throw e
    }
    await new Promise((done) => setTimeout(done, 300 * (tries + 1)))
  }
}

export const client = createClient<paths>({
  baseUrl: '/api/v1',
  headers: { Accept: 'application/json' },
  fetch: asking,
})

/** A problem document, as an error that can be shown. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly doc: Partial<Schemas['Problem']>,
  ) {
    super(doc.detail || doc.title || `The service answered ${status}`)
  }
  get kind(): string {
    return this.doc.type?.split('/').pop() ?? ''
  }
  /** The entry that a newer message of the vendor's is. */
  get entry(): number | undefined {
    const n = Number(/entry (\d+)/.exec(this.doc.detail ?? '')?.[1])
    return n || undefined
  }
  field(name: string): string | undefined {
    return this.doc.errors?.find((e) => e.field === name)?.detail
  }
}

type Answer<T> = { data?: T; error?: unknown; response: Response }

/** Gives the data of an answer, or throws its problem. */
export async function ok<T>(asked: Promise<Answer<T>>): Promise<T> {
  return (await whole(asked)).data
}

/** Whether an error leaves open if what was asked was done: then the same key is used again. */
export const unclear = (e: unknown): boolean =>
  e instanceof Problem && (e.status === 0 || e.status === 503 || e.kind === 'key-busy')

export async function whole<T>(asked: Promise<Answer<T>>): Promise<{ data: T; etag: string }> {
  let a: Answer<T>
  try {
    a = await asked
  } catch {
    throw new Problem(0, { title: 'The service cannot be reached. What you typed is kept; try again in a moment.' })
  }
  if (!a.response.ok) {
    if (a.response.status === 401 && !a.response.url.endsWith('/sign-in'))
      window.dispatchEvent(new Event('roundhouse:signed-out'))
    throw new Problem(a.response.status, (a.error ?? {}) as Partial<Schemas['Problem']>)
  }
  return { data: a.data as T, etag: a.response.headers.get('ETag') ?? '' }
}

/** A key that lets a post be repeated without being done twice. */
export const newKey = (): string =>
  crypto.randomUUID?.() ?? Math.random().toString(36).slice(2) + Date.now().toString(36)

export const words = (e: unknown): string => (e instanceof Error ? e.message : String(e))
