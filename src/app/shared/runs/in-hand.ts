import { queryOf } from '@/ui/api'

/** The list of what is in hand now: of a machine, of what it takes, in an area. */
export const inHand = (of: {
  readonly agent?: number
  readonly took?: string
  readonly area?: number | null
}): string => `/runs${queryOf({ ...of, holds: 'yes', steps: 'yes' })}`
