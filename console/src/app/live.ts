import type { QueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { refresh } from '../shared/queries'

/** Whether news arrives by itself at present. */
export const live = ref(true)

type News = { up?: boolean; name?: string; told?: boolean }

/** One stream a browser: the leading tab holds it and tells the others. */
export function follow(queries: QueryClient): () => void {
  const others = new BroadcastChannel('roundhouse.news')
  const gone = new AbortController()
  let source: EventSource | undefined
  const take = (n: News): void => {
    if (n.up !== undefined) {
      if (n.up && !live.value) {
        refresh(queries)
        void queries.invalidateQueries({ queryKey: ['notifications'] })
      }
      live.value = n.up
      return
    }
    if (n.told || !n.name) void queries.invalidateQueries({ queryKey: ['notifications'] })
    if (!n.told) refresh(queries, n.name)
  }
  const tell = (n: News): void => {
    others.postMessage(n)
    take(n)
  }
  others.onmessage = (e: MessageEvent<News>) => take(e.data)
  const lead = (): Promise<void> =>
    new Promise((resolve) => {
      source = new EventSource('/api/v1/events')
      source.addEventListener('ready', () => tell({ up: true }))
      source.addEventListener('case', (e) =>
        tell({ name: (JSON.parse((e as MessageEvent<string>).data) as { case: string }).case }),
      )
      source.addEventListener('notified', () => tell({ told: true }))
      source.addEventListener('everything', () => tell({}))
      source.onerror = () => {
        tell({ up: false })
        if (source?.readyState === EventSource.CLOSED)
          setTimeout(() => gone.signal.aborted || (source?.close(), resolve(), start()), 3000)
      }
      gone.signal.addEventListener('abort', () => (source?.close(), resolve()))
    })
  const start = (): void => {
    if ('locks' in navigator)
      void navigator.locks.request('roundhouse.stream', { signal: gone.signal }, lead).catch(() => undefined)
    else void lead()
  }
  start()
  return () => {
    gone.abort()
    others.close()
  }
}
