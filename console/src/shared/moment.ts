import { computed } from 'vue'
import { useFilters } from './filters'
import { now } from './time'

/** As of when something is shown: by what had happened then, or with `known` by what was known then. */
export interface Moment {
  at?: string
  known?: boolean
}

/** The moment in the address of a page; empty for now. */
export function useMoment() {
  const { one, set } = useFilters()
  const moment = computed<Moment>(() => {
    const at = new Date(one('at') ?? '')
    if (Number.isNaN(at.getTime())) return {}
    return one('known') === 'true' ? { at: at.toISOString(), known: true } : { at: at.toISOString() }
  })
  /** The same moment in the address of another page. */
  const query = computed(() =>
    moment.value.at ? { at: moment.value.at, ...(moment.value.known ? { known: 'true' } : {}) } : {},
  )
  const go = (m: Moment) => set({ at: m.at, known: m.known ? 'true' : undefined })
  /** A day ago, to the minute: from there one chooses. */
  const stand = () => go({ at: new Date(Math.floor(now().getTime() / 60_000 - 24 * 60) * 60_000).toISOString() })
  return { moment, query, go, stand }
}
