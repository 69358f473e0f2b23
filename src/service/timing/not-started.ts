/** Why an occurrence was not started. */
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
] as const

export type NotStartedWhy = (typeof NOT_STARTED_WHY)[number]
