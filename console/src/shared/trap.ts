/** Keeps the tab key inside a dialog. The widgets' own trap takes the focus away from a form of ours. */
export function trap(e: KeyboardEvent): void {
  if (e.key !== 'Tab') return
  const inside = [
    ...(e.currentTarget as HTMLElement).querySelectorAll<HTMLElement>(
      'button, input, textarea, select, a[href], [tabindex="0"]',
    ),
  ].filter((el) => !el.hasAttribute('disabled') && el.offsetParent !== null)
  const first = inside[0]
  const last = inside.at(-1)
  if (e.shiftKey && document.activeElement === first) last?.focus()
  else if (!e.shiftKey && document.activeElement === last) first?.focus()
  else return
  e.preventDefault()
}
