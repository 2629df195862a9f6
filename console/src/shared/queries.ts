import { useQuery, type QueryClient } from '@tanstack/vue-query'
import { client, ok } from './api'

export const useMe = () =>
  useQuery({
    queryKey: ['me'],
    queryFn: () => ok(client.GET('/me')),
    retry: false,
    staleTime: Infinity,
    refetchInterval: (q) => (q.state.data?.rehearsal ? 2_000 : false), // its clock runs fast, and jumps
  })

export function refresh(queries: QueryClient, name?: string): void {
  for (const key of ['today', 'lanes', 'cases']) void queries.invalidateQueries({ queryKey: [key] })
  for (const key of ['case', 'entries', 'files'])
    void queries.invalidateQueries({ queryKey: name ? [key, name] : [key] })
}
