import type { Endpoint } from '@/app/server/endpoint'
import { AREAS } from './areas'

/** Everything the API does, under /api/v1. `docs/api.md` is made from this table. */
export const ENDPOINTS: readonly Endpoint[] = AREAS.flatMap(({ endpoints }) => endpoints)

/** Finds the endpoint of a method and path below /api/v1. `known`: the path exists, with other methods. */
export function route(
  method: string,
  segments: readonly string[],
): { endpoint: Endpoint; params: Record<string, number> } | { known: boolean } {
  let known = false
  for (const candidate of ENDPOINTS) {
    const parts = candidate.path.slice(1).split('/')
    if (parts.length !== segments.length) continue
    const params: Record<string, number> = {}
    const fits = parts.every((part, i) => {
      const segment = segments[i] as string
      if (!part.startsWith(':')) return part === segment
      if (!/^[1-9]\d{0,14}$/.test(segment)) return false
      params[part.slice(1)] = Number(segment)
      return true
    })
    if (!fits) continue
    known = true
    if (candidate.method === method) return { endpoint: candidate, params }
  }
  return { known }
}
