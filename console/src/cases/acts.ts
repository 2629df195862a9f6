import { useQueryClient } from '@tanstack/vue-query'
import { newKey, unclear } from '../shared/api'
import { refresh } from '../shared/queries'
import { useSending } from '../shared/sending'

/** Acts on a case by its number: each has a key, so that trying again where an answer was lost does nothing twice. */
export function useActs(number: () => string) {
  const queries = useQueryClient()
  const { busy, problem, send } = useSending()
  let key = newKey()
  return {
    busy,
    problem,
    header: () => ({ 'Idempotency-Key': key }),
    /** A value that goes with the key: it stays as it was first asked for while the same key is tried again. */
    steady<T>(value: () => T): () => T {
      let of = ''
      let was: T
      return () => {
        if (of !== key) [of, was] = [key, value()]
        return was
      }
    },
    /** Begins with another form: what was wrong is forgotten. */
    begin(): void {
      problem.value = ''
      key = newKey()
    },
    /** Acts, and says whether that was done. */
    async act(what: () => Promise<unknown>): Promise<boolean> {
      const done = await send(async () => {
        try {
          await what()
        } catch (e) {
          if (!unclear(e)) key = newKey() // else the same key finds out whether it was done
          throw e
        }
        key = newKey()
      })
      refresh(queries, number())
      return done
    },
  }
}
