import { useQuery } from '@tanstack/vue-query'
import { client, ok } from '../shared/api'

export const useCalendars = () => useQuery({ queryKey: ['calendars'], queryFn: () => ok(client.GET('/calendars')), staleTime: 30_000 })
