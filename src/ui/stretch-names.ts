/** A stretch of time as people name it, by its name in the address. */
export const STRETCHES = {
  'last-hour': 'last hour',
  'last-8-hours': 'last 8 hours',
  today: 'today',
  'this-night': 'this night',
  'last-night': 'last night',
  yesterday: 'yesterday',
  'last-24-hours': 'last 24 hours',
  'last-7-days': 'last 7 days',
  'last-30-days': 'last 30 days',
} as const
export type StretchName = keyof typeof STRETCHES
export const isStretch = (name: string | undefined): name is StretchName => name !== undefined && name in STRETCHES

export interface Stretch {
  /** Instants, ISO 8601; absent: open on that side. */
  readonly from?: string
  readonly to?: string
}
