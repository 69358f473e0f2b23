const TICK = { fontSize: 11.5, fill: 'var(--mute)' } as const

/** How charts look: the axis along which they go, */
export const ACROSS = { tick: TICK, tickLine: false, axisLine: { stroke: 'var(--line-strong)' } } as const
/** the axis that says how much, */
export const UP = { tick: TICK, tickLine: false, axisLine: false } as const
/** of a share of all, */
export const SHARE = { ...UP, width: 48, domain: [0, 100], ticks: [0, 50, 100], unit: ' %' } as const
/** and what stands beside the pointer. */
export const BESIDE_POINTER = {
  background: 'var(--sheet)',
  border: '1px solid var(--line-strong)',
  fontSize: 12,
} as const
