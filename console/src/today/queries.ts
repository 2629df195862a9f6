import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch, type Ref } from 'vue'
import { client, ok, words, type Schemas } from '../shared/api'

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
