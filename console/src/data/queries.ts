import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, type Ref } from 'vue'
import { client, newKey, ok, whole, type Entry, type StepBody } from './api'
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
  return async (name: string, etag: string, body: StepBody) => {
    const done = await whole(
      client.POST('/cases/{case}/steps', { params: { path: { case: name }, header: { 'If-Match': etag, 'Idempotency-Key': newKey() } }, body }),
    )
    refresh(queries, name)
    return done
  }
}

export function refresh(queries: ReturnType<typeof useQueryClient>, name?: string): void {
  for (const key of ['today', 'cases']) void queries.invalidateQueries({ queryKey: [key] })
  for (const key of ['case', 'entries']) void queries.invalidateQueries({ queryKey: name ? [key, name] : [key] })
}
