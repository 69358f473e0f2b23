import fc from 'fast-check'
import { judge, spell, type AttemptEnd } from './judge'
import { advance, hasEnded, RUN_STATES, type RunEvent, type RunLife } from './lifecycle'
import { makeMask } from './mask'

const life = (change: Partial<RunLife> = {}): RunLife => ({
  state: 'ready',
  attempts: 0,
  maxAttempts: 1,
  retryDelayMs: 0,
  startAfterMs: null,
  stopAskedBy: null,
  held: false,
  ...change,
})
const then = (start: RunLife, ...events: RunEvent[]): RunLife =>
  events.reduce((now, event) => {
    const next = advance(now, event)
    if (!next.ok) throw new Error(`A run that is ${now.state} does not take “${event.type}”.`)
    return next.life
  }, start)
const ended = (outcome: 'succeeded' | 'failed' | 'timedOut' | 'stopped'): RunEvent => ({
  type: 'ended',
  atMs: 5000,
  outcome,
  reason: 'because',
})

describe('each state takes just these events, with what follows from them', () => {
  const again = (change: Partial<RunLife> = {}): Partial<RunLife> => ({ maxAttempts: 3, attempts: 1, ...change })
  const stop: RunEvent = { type: 'stopAsked', atMs: 5, by: 'Ines' }
  it.each<[RunEvent, Partial<Record<(typeof RUN_STATES)[number], string>>, Partial<RunLife>]>([
    [{ type: 'due', atMs: 5 }, { waiting: 'ready place' }, {}],
    [{ type: 'due', atMs: 5 }, {}, { startAfterMs: 6 }],
    [{ type: 'handedOut', atMs: 5 }, { ready: 'running tellAgent' }, {}],
    [{ type: 'handedOut', atMs: 5 }, {}, { held: true }],
    [ended('succeeded'), { running: 'succeeded finish: because' }, {}],
    [ended('failed'), { running: 'failed finish: because' }, { attempts: 1 }],
    [ended('timedOut'), { running: 'failed finish: because' }, { attempts: 1 }],
    [ended('failed'), { running: 'ready place: Try 1 of 3: because' }, again()],
    [ended('failed'), { running: 'waiting: Try 1 of 3: because' }, again({ retryDelayMs: 9 })],
    [ended('failed'), { running: 'failed finish: because' }, again({ attempts: 3 })],
    [ended('stopped'), { running: 'cancelled finish: Stopped by its agent.' }, again()],
    [ended('stopped'), { running: 'cancelled finish: Stopped by Ines.' }, again({ stopAskedBy: 'Ines' })],
    [ended('failed'), { running: 'cancelled finish: Stopped by Ines: because' }, again({ stopAskedBy: 'Ines' })],
    [{ type: 'lost', atMs: 5, reason: 'away' }, { running: 'lost finish: away' }, { attempts: 1 }],
    [{ type: 'lost', atMs: 5, reason: 'away' }, { running: 'ready place: Try 1 of 3: away' }, again()],
    [{ type: 'unreachable', atMs: 5, reason: 'far' }, { ready: 'failed finish: far' }, {}],
    [{ type: 'undeliverable', atMs: 5, reason: 'no' }, { running: 'failed finish: no' }, again()],
    [
      { type: 'decided', outcome: 'succeeded', reason: 'by hand' },
      { ready: 'succeeded finish: by hand', waiting: 'succeeded finish: by hand' },
      {},
    ],
    [
      { type: 'reopened' },
      { succeeded: 'running', failed: 'running', skipped: 'running', cancelled: 'running', lost: 'running' },
      { held: true, stopAskedBy: 'Ines' },
    ],
    [
      stop,
      {
        waiting: 'cancelled finish: Stopped by Ines before it started.',
        ready: 'cancelled finish: Stopped by Ines before it started.',
        running: 'running tellAgent',
      },
      {},
    ],
    [{ type: 'held' }, { waiting: 'waiting', ready: 'ready' }, {}],
    [{ type: 'held' }, {}, { held: true }],
    [
      { type: 'released' },
      { waiting: 'waiting place', ready: 'ready place', running: 'running place' },
      { held: true },
    ],
    [{ type: 'released' }, {}, {}],
  ])('%j', (event, taken, change) => {
    const said = Object.fromEntries(
      RUN_STATES.flatMap((state) => {
        const next = advance(life({ ...change, state }), event)
        if (!next.ok) return []
        const reason = next.reason === undefined ? '' : `: ${next.reason}`
        return [[state, `${[next.life.state, ...next.effects].join(' ')}${reason}`]]
      }),
    )
    expect(said).toEqual(taken)
  })

  it('who asked for the stop first is remembered; a run that goes on has nobody’s stop and no hold', () => {
    const asked = advance(life({ state: 'running', stopAskedBy: 'Moira' }), stop)
    expect(asked).toMatchObject({ ok: true, life: { stopAskedBy: 'Moira' } })
    expect(advance(life({ stopAskedBy: null }), stop)).toMatchObject({ life: { stopAskedBy: 'Ines' } })
    expect(advance(life({ state: 'failed', held: true, stopAskedBy: 'Ines' }), { type: 'reopened' })).toMatchObject({
      life: { held: false, stopAskedBy: null },
    })
    expect(advance(life(), { type: 'held' })).toMatchObject({ life: { held: true } })
    expect(advance(life({ held: true }), { type: 'released' })).toMatchObject({ life: { held: false } })
  })

  it('has ended in five of eight', () => {
    expect(RUN_STATES.filter(hasEnded)).toEqual(['succeeded', 'failed', 'skipped', 'cancelled', 'lost'])
  })
})

describe('a run whose target cannot be reached', () => {
  it('fails from ready, and from nowhere else', () => {
    const event = { type: 'unreachable', atMs: 5, reason: 'kelda-files was out of reach.' } as const
    const ready = {
      state: 'ready',
      attempts: 0,
      maxAttempts: 3,
      retryDelayMs: 0,
      startAfterMs: null,
      stopAskedBy: null,
      held: false,
    } as const
    expect(advance(ready, event)).toMatchObject({
      ok: true,
      life: { state: 'failed', attempts: 0 },
      reason: event.reason,
      effects: ['finish'],
    })
    for (const state of ['waiting', 'running', 'succeeded'] as const)
      expect(advance({ ...ready, state }, event).ok).toBe(false)
  })
})

describe('the life of a run', () => {
  it('goes from ready to running to its end', () => {
    expect(then(life(), { type: 'handedOut', atMs: 1 }, ended('succeeded')).state).toBe('succeeded')
  })

  it('is tried again after its delay, as often as it may, then fails', () => {
    const start = life({ maxAttempts: 2, retryDelayMs: 30_000 })
    const waiting = then(start, { type: 'handedOut', atMs: 1 }, ended('failed'))
    expect(waiting).toMatchObject({ state: 'waiting', startAfterMs: 35_000, attempts: 1 })
    expect(advance(waiting, { type: 'due', atMs: 34_999 }).ok).toBe(false)
    expect(
      then(waiting, { type: 'due', atMs: 35_000 }, { type: 'handedOut', atMs: 35_001 }, ended('timedOut')).state,
    ).toBe('failed')
  })

  it('is lost only when no try is left', () => {
    const lost: RunEvent = { type: 'lost', atMs: 9, reason: 'silent' }
    expect(then(life({ maxAttempts: 2 }), { type: 'handedOut', atMs: 1 }, lost).state).toBe('ready')
    expect(then(life(), { type: 'handedOut', atMs: 1 }, lost).state).toBe('lost')
  })

  it('is cancelled at once before it starts, and through its agent afterwards, whatever the try made of it', () => {
    const stop: RunEvent = { type: 'stopAsked', atMs: 1, by: 'Ines' }
    expect(then(life(), stop).state).toBe('cancelled')
    const stopping = advance(then(life({ maxAttempts: 3 }), { type: 'handedOut', atMs: 1 }), stop)
    expect(stopping).toMatchObject({ ok: true, effects: ['tellAgent'], life: { state: 'running' } })
    expect(then((stopping as { life: RunLife }).life, ended('failed')).state).toBe('cancelled')
    expect(then((stopping as { life: RunLife }).life, { type: 'lost', atMs: 9, reason: 'silent' }).state).toBe(
      'cancelled',
    )
    // It was done before the signal came: that is what is said.
    expect(then((stopping as { life: RunLife }).life, ended('succeeded')).state).toBe('succeeded')
  })

  it('says who stopped it, and what else the try had to say', () => {
    const running = then(life(), { type: 'handedOut', atMs: 1 })
    const stopping = then(
      running,
      { type: 'stopAsked', atMs: 2, by: 'Ines' },
      { type: 'stopAsked', atMs: 3, by: 'Tor' },
    )
    expect(advance(stopping, ended('stopped'))).toMatchObject({ reason: 'Stopped by Ines.' })
    expect(advance(stopping, ended('failed'))).toMatchObject({ reason: 'Stopped by Ines: because' })
    expect(advance(running, ended('stopped'))).toMatchObject({ reason: 'Stopped by its agent.' })
  })

  it('is not handed out while it is held', () => {
    const held = then(life(), { type: 'held' })
    expect(advance(held, { type: 'handedOut', atMs: 1 }).ok).toBe(false)
    expect(then(held, { type: 'released' }, { type: 'handedOut', atMs: 1 }).state).toBe('running')
  })

  it('never leaves an end state, and never has more tries than it may', () => {
    const event = fc.oneof(
      fc.constant<RunEvent>({ type: 'due', atMs: 1e9 }),
      fc.constant<RunEvent>({ type: 'handedOut', atMs: 1 }),
      fc.constantFrom('succeeded', 'failed', 'timedOut', 'stopped').map((outcome) => ended(outcome as 'failed')),
      fc.constant<RunEvent>({ type: 'lost', atMs: 1, reason: '' }),
      fc.constant<RunEvent>({ type: 'stopAsked', atMs: 1, by: '' }),
      fc.constant<RunEvent>({ type: 'held' }),
      fc.constant<RunEvent>({ type: 'released' }),
    )
    fc.assert(
      fc.property(
        fc.array(event, { maxLength: 30 }),
        fc.integer({ min: 1, max: 4 }),
        fc.constantFrom(0, 1000),
        (events, maxAttempts, retryDelayMs) => {
          let now = life({ maxAttempts, retryDelayMs })
          for (const each of events) {
            const next = advance(now, each)
            if (hasEnded(now.state)) expect(next.ok).toBe(false)
            if (next.ok) now = next.life
            expect(now.attempts).toBeLessThanOrEqual(maxAttempts)
          }
        },
      ),
    )
  })
})

describe('judge', () => {
  const end = (change: Partial<AttemptEnd> = {}): AttemptEnd => ({
    exitCode: 0,
    signal: null,
    how: 'exited',
    detail: null,
    sawMust: null,
    sawMustNot: null,
    mustNotLine: null,
    ...change,
  })
  const rule = { exitCodes: [0, 3], must: { text: 'done', regex: false }, mustNot: { text: 'ERROR', regex: false } }

  it.each([
    [end({ sawMust: true, sawMustNot: false }), 'succeeded', 'Exit code 0.'],
    [end({ exitCode: 3, sawMust: true, sawMustNot: false }), 'succeeded', 'Exit code 3.'],
    [end({ exitCode: 4 }), 'failed', 'Exit code 4; success is one of 0, 3.'],
    [end({ sawMust: false }), 'failed', '“done” did not appear in the output.'],
    [
      end({ sawMust: true, sawMustNot: true, mustNotLine: 'ERROR 7' }),
      'failed',
      'The output has “ERROR 7”, which must not appear.',
    ],
    [end({ how: 'timedOut', exitCode: 143 }), 'timedOut', 'Stopped at its time limit of 1 h 30 min.'],
    [end({ how: 'stopped' }), 'stopped', 'Stopped.'],
    [end({ how: 'couldNotStart', exitCode: null, detail: 'No such folder.' }), 'failed', 'No such folder.'],
    [end({ signal: 'SIGKILL', exitCode: null }), 'failed', 'Ended by signal SIGKILL.'],
    [end({ exitCode: null }), 'failed', 'It ended without an exit code.'],
    [end({ how: 'couldNotStart', exitCode: null }), 'failed', 'The command could not be started.'],
    [end({ how: 'orphaned', exitCode: null }), 'failed', 'The process ended while the agent was away.'],
    [end({ how: 'orphaned', exitCode: null, detail: 'Killed.' }), 'failed', 'Killed.'],
    [end({ exitCode: null, detail: 'Gone.' }), 'failed', 'Gone.'],
  ] as const)('%j is %s', (report, outcome, reason) => {
    expect(judge(report, rule, 5400)).toEqual({ outcome, reason })
  })

  it('names one exit code or several, and quotes at most 80 characters', () => {
    const reasonOf = (report: AttemptEnd, change: Partial<typeof rule> = {}): string =>
      judge(report, { ...rule, ...change }, null).reason
    expect(reasonOf(end({ exitCode: 9 }), { exitCodes: [0] })).toBe('Exit code 9; success is 0.')
    expect(reasonOf(end({ exitCode: 9 }), { exitCodes: [0, 3] })).toBe('Exit code 9; success is one of 0, 3.')
    const quoted = (length: number): string =>
      reasonOf(end({ exitCode: rule.exitCodes[0] as number, sawMustNot: true, mustNotLine: 'x'.repeat(length) }))
    expect(quoted(80)).toContain(`“${'x'.repeat(80)}”`)
    expect(quoted(81)).toContain(`“${'x'.repeat(79)}…”`)
  })

  it('spells lengths', () => {
    expect([spell(59), spell(60), spell(3599), spell(3600)]).toEqual(['59 s', '1 min', '59 min 59 s', '1 h 00 min'])
    expect([spell(45), spell(1200), spell(95), spell(4080)]).toEqual(['45 s', '20 min', '1 min 35 s', '1 h 08 min'])
  })
})

describe('mask', () => {
  it('hides every occurrence, the longer secret first, line by line too', () => {
    const mask = makeMask(['hunter22', 'hunter22-and-more', 'first\nsecond', 'abc'])
    expect(mask('x hunter22-and-more hunter22 second abc')).toBe('x **** **** **** abc')
  })
})
