import type { components } from './api.gen'
import { short } from './time'
import { byChannel } from './words'

/** A way to a vendor: by a link that takes things there, or by one of us. */
export type Route = components['schemas']['Route']

/** What speaks against a route just now. */
export function against(r: Route | undefined, vendor: string, now: Date): string[] {
  const out: string[] = []
  if (r?.open === false) out.push(`Nobody is there now; it opens ${short(r.until!, now)}.`)
  if (r?.urgent_only) out.push(`${vendor} takes only urgent cases ${byChannel(r.channel)}.`)
  return out
}

/** Tells routes apart. */
export const routeKey = (r: Route): string => (r.link ? `${r.channel} ${r.link}` : r.channel)

/** The route that was picked by its key, or the usual one. */
export const pickedRoute = (routes: Route[], key: string | undefined): Route | undefined =>
  routes.find((r) => routeKey(r) === key) ?? routes[0]

/** What a route is called among the others: a link by its name where there are several of its kind. */
export function routeWords(r: Route, among: Route[]): string {
  const links = among.filter((x) => x.channel === r.channel && x.link)
  return byChannel(r.channel) + (r.to ? ` to ${r.to}` : '') + (links.length > 1 ? ` (${r.link})` : '')
}
