import { useStorage } from '@vueuse/core'
import { computed } from 'vue'
import { label } from '../shared/words'
import type { Told } from './queries'

/** Whether this browser shows what happens on the desktop, as its user chose here. */
export const wanted = useStorage('roundhouse.desktop', false)
export const possible = 'Notification' in window
export const refused = computed(() => possible && wanted.value && Notification.permission === 'denied')

/** Asks the browser, which asks its user. */
export async function want(is: boolean): Promise<void> {
  wanted.value = is
  if (is && possible && Notification.permission === 'default') await Notification.requestPermission()
}

/** What a notification is about, in one line. */
export const line = (n: Told): string => {
  const wrote = n.kind === 'message' || n.kind === 'unread'
  return `${label('NotificationKind', n.kind)}: ${wrote ? `${n.vendor}: ` : ''}${n.what}`
}

/** Shows one on the desktop while nobody looks at the page. The browser shows each tag once. */
export function show(n: Told, open: () => void): void {
  if (!possible || !wanted.value || Notification.permission !== 'granted' || !document.hidden) return
  const shown = new Notification(`${n.case} ${n.title}`, { body: line(n), tag: `roundhouse-${n.id}` })
  shown.onclick = () => {
    window.focus()
    open()
    shown.close()
  }
}
