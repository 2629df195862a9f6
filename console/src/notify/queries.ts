import { useInfiniteQuery, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, ok, whole, type Schemas } from '../shared/api'

export type Told = Schemas['Notification']

/** What came last, and how much is unread: for the head of every page. */
export const useLatest = () =>
  useQuery({
    queryKey: ['notifications', 'latest'],
    queryFn: () => ok(client.GET('/notifications', { params: { query: { limit: 5 } } })),
    refetchInterval: 120_000,
  })

/** All of them, page by page. */
export function useTold(unread: Ref<boolean>) {
  const q = useInfiniteQuery({
    queryKey: ['notifications', 'list', unread],
    queryFn: ({ pageParam }) =>
      ok(
        client.GET('/notifications', {
          params: { query: { unread: unread.value || undefined, cursor: pageParam || undefined } },
        }),
      ),
    initialPageParam: '',
    getNextPageParam: (last) => last.next,
  })
  return { ...q, items: computed(() => q.data.value?.pages.flatMap((p) => p.items)) }
}

export const useSettings = () =>
  useQuery({
    queryKey: ['notifications', 'settings'],
    queryFn: () => whole(client.GET('/notification-settings')),
    staleTime: Infinity,
  })
