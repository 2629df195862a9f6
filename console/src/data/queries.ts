import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch, type Ref } from 'vue'
import { client, newKey, ok, whole, words, type Entry, type Schemas, type StepBody } from './api'
import type { paths } from './api.gen'

export type CaseQuery = NonNullable<paths['/cases']['get']['parameters']['query']>

export const useMe = () => useQuery({ queryKey: ['me'], queryFn: () => ok(client.GET('/me')), retry: false, staleTime: Infinity })

export const useToday = (whose: Ref<'desk' | 'mine'>) =>
  useQuery({
    queryKey: ['today', whose],
    queryFn: () => ok(client.GET('/today', { params: { query: { whose: whose.value } } })),
    refetchInterval: 30_000,
    placeholderData: keepPreviousData,
  })

/** The pages of Today after the first, as they are asked for; they go when the first one changes. */
export function useTodayAfter(whose: Ref<'desk' | 'mine'>, first: Ref<string | undefined>) {
  const pages = ref<{ lines: Schemas['TodayLine'][]; next?: string }[]>([])
  const problem = ref('')
  watch([first, whose], () => (pages.value = []))
  const more = async (): Promise<void> => {
    const cursor = pages.value.length ? pages.value.at(-1)!.next : first.value
    if (!cursor) return
    problem.value = ''
    try {
      const page = await ok(client.GET('/today', { params: { query: { whose: whose.value, cursor } } }))
      pages.value.push({ lines: page.lines, next: page.next })
    } catch (e) {
      problem.value = words(e)
    }
  }
  return { lines: computed(() => pages.value.flatMap((p) => p.lines)), more, problem }
}

export const useCases = (query: Ref<CaseQuery>) =>
  useQuery({
    queryKey: ['cases', query],
    queryFn: () => ok(client.GET('/cases', { params: { query: query.value } })),
    placeholderData: keepPreviousData,
  })

export const useCase = (name: Ref<string>) =>
  useQuery({
    queryKey: ['case', name],
    queryFn: () => whole(client.GET('/cases/{case}', { params: { path: { case: name.value } } })),
    enabled: computed(() => name.value !== ''),
    refetchInterval: 30_000,
  })

export const useEntries = (name: Ref<string>) =>
  useQuery({
    queryKey: ['entries', name],
    queryFn: async () => {
      const all: Entry[] = []
      for (;;) {
        const after = all.at(-1)?.number ?? 0
        const page = await ok(client.GET('/cases/{case}/entries', { params: { path: { case: name.value }, query: { after, limit: 500 } } }))
        all.push(...page.items)
        if (!page.more) return all
      }
    },
  })

export const useVendors = () => useQuery({ queryKey: ['vendors'], queryFn: () => ok(client.GET('/vendors')), staleTime: 60_000 })

export const useVendor = (key: Ref<string>, enabled: Ref<boolean> = ref(true)) =>
  useQuery({ enabled, queryKey: ['vendor', key], queryFn: () => ok(client.GET('/vendors/{vendor}', { params: { path: { vendor: key.value } } })) })

/** Takes a step on a case as it was last read, and reads everything anew. */
export function useSteps() {
  const queries = useQueryClient()
  return async (name: string, etag: string, body: StepBody, key: string = newKey()) => {
    const done = await whole(
      client.POST('/cases/{case}/steps', { params: { path: { case: name }, header: { 'If-Match': etag, 'Idempotency-Key': key } }, body }),
    )
    refresh(queries, name)
    return done
  }
}

export function refresh(queries: ReturnType<typeof useQueryClient>, name?: string): void {
  for (const key of ['today', 'cases']) void queries.invalidateQueries({ queryKey: [key] })
  for (const key of ['case', 'entries']) void queries.invalidateQueries({ queryKey: name ? [key, name] : [key] })
}
