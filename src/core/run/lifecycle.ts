/**
 * The life of a run: state + event → state + effects. Pure; the store writes the result by compare-and-set on `version`.
 *
 *   waiting ──due──▶ ready ──handedOut──▶ running ──ended──▶ succeeded | failed | cancelled
 *      ▲                                    │ lost
 *      └────────── retry after delay ◀──────┴──(tries left)──┴──(none left)──▶ failed | lost
 *
 * `skipped` is reached only by steps of flows; only flow runs are taken up again once they have ended (`reopened`).
 */
export const RUN_STATES = [
  'waiting',
  'ready',
  'running',
  'succeeded',
  'failed',
  'skipped',
  'cancelled',
  'lost',
] as const
export type RunState = (typeof RUN_STATES)[number]

/** Who or what started a run. */
export const CAUSES = ['person', 'token', 'again', 'trigger', 'flow'] as const
export type Cause = (typeof CAUSES)[number]

const ENDED_STATES = ['succeeded', 'failed', 'skipped', 'cancelled', 'lost'] as const satisfies readonly RunState[]

export function hasEnded(state: RunState): boolean {
  return (ENDED_STATES as readonly RunState[]).includes(state)
}

/** What the lifecycle needs to know of a run. Instants are milliseconds since the epoch. */
export interface RunLife {
  readonly state: RunState
  /** Tries handed out so far. */
  readonly attempts: number
  readonly maxAttempts: number
  readonly retryDelayMs: number
  /** Not before this instant; null: no such wish. */
  readonly startAfterMs: number | null
  /** Who wants it to end, as the reason will say; null: nobody. */
  readonly stopAskedBy: string | null
  readonly held: boolean
}

/** How an attempt ended, as judged from its report. */
export type AttemptOutcome = 'succeeded' | 'failed' | 'timedOut' | 'stopped'

export type RunEvent =
  | { readonly type: 'due'; readonly atMs: number }
  | { readonly type: 'handedOut'; readonly atMs: number }
  | { readonly type: 'ended'; readonly atMs: number; readonly outcome: AttemptOutcome; readonly reason: string }
  | { readonly type: 'lost'; readonly atMs: number; readonly reason: string }
  /** No agent of its target can be reached, and its job does not want to wait longer. */
  | { readonly type: 'unreachable'; readonly atMs: number; readonly reason: string }
  /** What was handed out cannot be sent: another try would not be different. */
  | { readonly type: 'undeliverable'; readonly atMs: number; readonly reason: string }
  /** It cannot be carried out at all, or a person says how it ended. */
  | { readonly type: 'decided'; readonly outcome: 'succeeded' | 'failed'; readonly reason: string }
  /** A flow run that has ended goes on: a person runs some of it again, or says how a step ended. */
  | { readonly type: 'reopened' }
  | { readonly type: 'stopAsked'; readonly atMs: number; readonly by: string }
  | { readonly type: 'held' }
  | { readonly type: 'released' }

/** `place`: something may be placed now; `tellAgent`: its agent has something to hear; `finish`: it is over, and what it held is free. */
export type Effect = 'place' | 'tellAgent' | 'finish'

export type Advance =
  | {
      readonly ok: true
      readonly life: RunLife
      /** Said on the run's page; absent: unchanged. */
      readonly reason?: string
      readonly effects: readonly Effect[]
    }
  /** A run in its state does not take the event. */
  | { readonly ok: false }

const REFUSED: Advance = { ok: false }

export function advance(life: RunLife, event: RunEvent): Advance {
  switch (event.type) {
    case 'due':
      if (life.state !== 'waiting' || (life.startAfterMs ?? -Infinity) > event.atMs) return REFUSED
      return { ok: true, life: { ...life, state: 'ready', startAfterMs: null }, effects: ['place'] }

    case 'handedOut':
      if (life.state !== 'ready' || life.held) return REFUSED
      return { ok: true, life: { ...life, state: 'running', attempts: life.attempts + 1 }, effects: ['tellAgent'] }

    case 'ended':
      if (life.state !== 'running') return REFUSED
      return afterAttempt(life, event.outcome, event.reason, event.atMs)

    case 'lost':
      if (life.state !== 'running') return REFUSED
      return afterAttempt(life, 'lost', event.reason, event.atMs)

    case 'unreachable':
      if (life.state !== 'ready') return REFUSED
      return { ok: true, life: { ...life, state: 'failed' }, reason: event.reason, effects: ['finish'] }

    case 'undeliverable':
      if (life.state !== 'running') return REFUSED
      return { ok: true, life: { ...life, state: 'failed' }, reason: event.reason, effects: ['finish'] }

    case 'decided':
      if (life.state !== 'ready' && life.state !== 'waiting') return REFUSED
      return { ok: true, life: { ...life, state: event.outcome }, reason: event.reason, effects: ['finish'] }

    case 'reopened':
      if (!hasEnded(life.state)) return REFUSED
      return { ok: true, life: { ...life, state: 'running', stopAskedBy: null, held: false }, effects: [] }

    case 'stopAsked':
      if (hasEnded(life.state)) return REFUSED
      if (life.state === 'running') {
        return { ok: true, life: { ...life, stopAskedBy: life.stopAskedBy ?? event.by }, effects: ['tellAgent'] }
      }
      return {
        ok: true,
        life: { ...life, state: 'cancelled', stopAskedBy: life.stopAskedBy ?? event.by },
        reason: `Stopped by ${event.by} before it started.`,
        effects: ['finish'],
      }

    case 'held':
      if ((life.state !== 'waiting' && life.state !== 'ready') || life.held) return REFUSED
      return { ok: true, life: { ...life, held: true }, effects: [] }

    case 'released':
      if (!life.held || hasEnded(life.state)) return REFUSED
      return { ok: true, life: { ...life, held: false }, effects: ['place'] }
  }
}

function afterAttempt(life: RunLife, outcome: AttemptOutcome | 'lost', reason: string, atMs: number): Advance {
  if (outcome === 'succeeded') {
    return { ok: true, life: { ...life, state: 'succeeded' }, reason, effects: ['finish'] }
  }
  // A stop ends it for good, whatever the attempt made of it.
  if (outcome === 'stopped' || life.stopAskedBy !== null) {
    const stopped = `Stopped by ${life.stopAskedBy ?? 'its agent'}`
    const said = outcome === 'stopped' ? `${stopped}.` : `${stopped}: ${reason}`
    return { ok: true, life: { ...life, state: 'cancelled' }, reason: said, effects: ['finish'] }
  }
  if (life.attempts < life.maxAttempts) {
    const delayed = life.retryDelayMs > 0
    return {
      ok: true,
      life: { ...life, state: delayed ? 'waiting' : 'ready', startAfterMs: delayed ? atMs + life.retryDelayMs : null },
      reason: `Try ${life.attempts} of ${life.maxAttempts}: ${reason}`,
      effects: delayed ? [] : ['place'],
    }
  }
  return { ok: true, life: { ...life, state: outcome === 'lost' ? 'lost' : 'failed' }, reason, effects: ['finish'] }
}
