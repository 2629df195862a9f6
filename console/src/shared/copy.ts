import { ref } from 'vue'

/** Copies a text to the clipboard, and says for a moment that it did, or that the browser does not allow it. */
export function useCopy() {
  const copied = ref(false)
  const refused = ref(false)
  let until: ReturnType<typeof setTimeout> | undefined
  async function copy(text: string) {
    clearTimeout(until)
    try {
      await navigator.clipboard.writeText(text)
      copied.value = true
      refused.value = false
      until = setTimeout(() => (copied.value = false), 4000)
    } catch {
      copied.value = false
      refused.value = true
    }
  }
  return { copied, refused, copy }
}
