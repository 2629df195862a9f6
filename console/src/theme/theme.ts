import type { GlobalTheme, GlobalThemeOverrides } from 'naive-ui'
import { computed, ref, shallowRef } from 'vue'
import palette from './palette.json'

export type Scheme = 'light' | 'dark'
type Palette = (typeof palette)['light']

const system = matchMedia('(prefers-color-scheme: dark)')
const ofSystem = (): Scheme => (system.matches ? 'dark' : 'light')
const chosen = (): Scheme | undefined => {
  const stored = localStorage.getItem('roundhouse.scheme')
  return stored === 'light' || stored === 'dark' ? stored : undefined
}
export const scheme = ref<Scheme>(chosen() ?? ofSystem())
export const base = shallowRef<GlobalTheme | null>(null)

/** Applies the scheme; the dark one loads the widgets' dark base first. */
export async function apply(to: Scheme): Promise<void> {
  base.value = to === 'dark' ? ((await import('naive-ui/es/themes/dark')).darkTheme as GlobalTheme) : null
  scheme.value = to
  const root = document.documentElement
  root.dataset.scheme = to
  root.style.colorScheme = to
  for (const [name, colour] of Object.entries(palette[to])) root.style.setProperty(`--${name}`, colour)
}

// Who has not chosen follows the system, also when that changes at dusk.
system.addEventListener('change', () => void (chosen() ?? apply(ofSystem())))

export function choose(to: Scheme): void {
  localStorage.setItem('roundhouse.scheme', to)
  void apply(to)
}

const font = '"Source Sans 3 Variable", "Source Sans 3", "DejaVu Sans", sans-serif'
const mono = '"IBM Plex Mono", "DejaVu Sans Mono", monospace'

/** Every colour of the widgets comes from the palette: their own fail contrast. */
export const overrides = computed<GlobalThemeOverrides>(() => {
  const p: Palette = palette[scheme.value]
  const field = {
    color: p.panel,
    colorFocus: p.panel,
    colorDisabled: p.paper,
    textColor: p.ink,
    placeholderColor: p.ink2,
    border: `1px solid ${p.line}`,
    borderHover: `1px solid ${p.primary}`,
    borderFocus: `1px solid ${p.primary}`,
    boxShadowFocus: `0 0 0 2px ${p.primary}55`,
    caretColor: p.ink,
  }
  return {
    common: {
      fontFamily: font,
      fontFamilyMono: mono,
      fontSize: '14px',
      fontSizeMedium: '14px',
      fontSizeSmall: '14px',
      borderRadius: '4px',
      primaryColor: p.primary,
      primaryColorHover: p['primary-hover'],
      primaryColorPressed: p.primary,
      primaryColorSuppl: p.primary,
      textColorBase: p.ink,
      textColor1: p.ink,
      textColor2: p.ink,
      textColor3: p.ink2,
      placeholderColor: p.ink2,
      bodyColor: p.paper,
      cardColor: p.panel,
      modalColor: p.panel,
      popoverColor: p.panel,
      borderColor: p.line,
      dividerColor: p.line2,
      inputColor: p.panel,
      errorColor: p.late,
      warningColor: p.soon,
      successColor: p.run,
      iconColor: p.ink2,
    },
    Button: {
      textColor: p.ink,
      textColorHover: p.ink,
      textColorFocus: p.ink,
      textColorPressed: p.ink,
      border: `1px solid ${p.line}`,
      color: p.panel,
      borderHover: `1px solid ${p.primary}`,
      borderFocus: `1px solid ${p.primary}`,
      borderPressed: `1px solid ${p.primary}`,
      fontWeight: '550',
      textColorPrimary: p['primary-ink'],
      textColorHoverPrimary: p['primary-ink'],
      textColorFocusPrimary: p['primary-ink'],
      textColorPressedPrimary: p['primary-ink'],
      textColorDisabledPrimary: p['primary-ink'],
      heightMedium: '30px',
      heightSmall: '26px',
      paddingMedium: '0 12px',
      paddingSmall: '0 9px',
    },
    Input: field,
    InternalSelection: {
      ...field,
      textColorDisabled: p.ink2,
      colorActive: p.panel,
      borderActive: `1px solid ${p.primary}`,
      boxShadowActive: `0 0 0 2px ${p.primary}55`,
    },
    Dialog: { textColor: p.ink },
  }
})
