import { computed, reactive, ref } from 'vue'
import { Problem } from '../shared/api'

/** The files that go with a message, and what somebody said of them. */
export function useEnclosing() {
  const files = ref<number[]>([])
  /** The question that has to be answered before they go, and whether it was answered with yes. */
  const question = ref('')
  const confirmed = ref(false)
  const stopped = ref(false)
  const body = computed(() => ({
    files: files.value.length ? files.value : undefined,
    confirm_files: confirmed.value || undefined,
  }))
  /** Whether an error is that question; it is shown then. */
  function asks(e: unknown): boolean {
    if (!(e instanceof Problem) || e.kind !== 'confirm-files') return false
    question.value = e.message
    confirmed.value = false
    return true
  }
  function clear() {
    files.value = []
    question.value = ''
    confirmed.value = stopped.value = false
  }
  return reactive({ files, question, confirmed, stopped, body, asks, clear })
}

export type Enclosing = ReturnType<typeof useEnclosing>
