/** Why an occurrence or an event did not start anything. */
export const NOT_STARTED_WHY = [
  'late',
  'starts off',
  'made up',
  'overlap',
  'job off',
  'job gone',
  'inputs',
  'no machine',
  'fault',
  'day',
  'off',
  'rate',
  'chain',
] as const

export type NotStartedWhy = (typeof NOT_STARTED_WHY)[number]
