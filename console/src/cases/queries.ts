import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, newKey, ok, whole, type Entry, type StepBody } from '../shared/api'
import type { paths } from '../shared/api.gen'
import type { Moment } from '../shared/moment'
import { refresh } from '../shared/queries'

export type CaseQuery = NonNullable<paths['/cases']['get']['parameters']['query']>

export const useCases = (query: Ref<CaseQuery>) =>
  useQuery({
    queryKey: ['cases', query],
    queryFn: () => ok(client.GET('/cases', { params: { query: query.value } })),
    placeholderData: keepPreviousData,
  })

export const useCase = (name: Ref<string>, moment?: Ref<Moment>) =>
  useQuery({
    queryKey: ['case', name, moment],
    queryFn: () =>
      whole(client.GET('/cases/{case}', { params: { path: { case: name.value }, query: { ...moment?.value } } })),
    enabled: computed(() => name.value !== ''),
    refetchInterval: 30_000,
  })

export const useEntries = (name: Ref<string>, moment: Ref<Moment>) =>
  useQuery({
    queryKey: ['entries', name, moment],
    queryFn: async () => {
      const all: Entry[] = []
      for (;;) {
        const after = all.at(-1)?.number ?? 0
        const page = await ok(
          client.GET('/cases/{case}/entries', {
            params: { path: { case: name.value }, query: { after, limit: 500, ...moment.value } },
          }),
        )
        all.push(...page.items)
        if (!page.more) return all
      }
    },
  })

/** Takes a step on a case as it was last read, and reads everything anew. */
export function useSteps() {
  const queries = useQueryClient()
  return async (name: string, etag: string, body: StepBody, key: string = newKey()) => {
    const done = await whole(
      client.POST('/cases/{case}/steps', {
        params: { path: { case: name }, header: { 'If-Match': etag, 'Idempotency-Key': key } },
        body,
      }),
    )
    refresh(queries, name)
    return done
  }
}

/** Whether a case is live: filed, open or fix-offered. */
export const isLive = (state: string | undefined): boolean => ['filed', 'open', 'fix-offered'].includes(state ?? '')
