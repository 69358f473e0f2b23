import type { ServerAgent } from './server'

/** An agent that takes everything that goes to its pools. */
export const agentFacts = (name: string, pools: readonly string[], more: Partial<ServerAgent> = {}): ServerAgent => ({
  name,
  on: true,
  draining: false,
  full: false,
  connected: true,
  pools: Object.fromEntries(pools.map((pool) => [pool, true])),
  labels: {},
  version: '1.0.0',
  abilities: ['command'],
  accounts: [],
  lastStart: null,
  ...more,
})
