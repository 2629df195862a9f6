import { useQuery } from '@tanstack/vue-query'
import { client, ok } from '../shared/api'

/** All calendars; while cases are being recalculated they are asked for again. */
export const useCalendars = () =>
  useQuery({
    queryKey: ['calendars'],
    queryFn: () => ok(client.GET('/calendars')),
    staleTime: 30_000,
    refetchInterval: (q) => (q.state.data?.items.some((c) => c.recalculating) ? 1000 : false),
  })
