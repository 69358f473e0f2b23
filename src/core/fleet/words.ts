/** States of an agent, as people read them. */
export const AGENT_STATE_WORDS = {
  ready: 'ready',
  busy: 'busy',
  draining: 'draining',
  off: 'off',
  away: 'out of reach',
  revoked: 'revoked',
} as const
