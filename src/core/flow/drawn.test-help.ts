import type { DrawnStep } from './times'

/** A step as it is drawn, behind those it is linked to. */
export const drawnStep = (index: number, from: number[] = [], change: Partial<DrawnStep> = {}): DrawnStep => ({
  index,
  parent: -1,
  isFlow: false,
  links: from.map((each) => ({ from: each })),
  join: 'all',
  routeTo: -1,
  ...change,
})
