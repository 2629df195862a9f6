import { ref } from 'vue'
import { words } from './api'

/** What a form knows while it sends: whether it is busy, and in words what was wrong. */
export function useSending() {
  const busy = ref(false)
  const problem = ref('')
  /** Sends, and says whether that was done. What was typed stays where it is. */
  async function send(what: () => Promise<unknown>): Promise<boolean> {
    busy.value = true
    problem.value = ''
    try {
      await what()
      return true
    } catch (e) {
      problem.value = words(e)
      return false
    } finally {
      busy.value = false
    }
  }
  return { busy, problem, send }
}
