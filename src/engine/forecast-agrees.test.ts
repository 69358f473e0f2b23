import fc from 'fast-check'
import { busyBundle, FROM } from '@/core/forecast/arbitrary.test-help'
import { modelOf } from '@/core/forecast/build'
import { recorded } from '@/core/forecast/report'
import { checkBundle } from '@/core/bundle/check'
import { FORMAT, type Bundle } from '@/core/bundle/schema'
import { timeOfDay } from '@/core/calendar/days'
import { isoInstant } from '@/core/timing/instants'
import { parseDuration } from '@/core/timing/duration'
import { importBundle } from '@/service/exchange/bundle-in'
import { makeAgent, started, ended } from '@/service/fixtures.test-help'
import { advanceFlows } from '@/service/flows/flow-advance'
import { leasesToDeliver, stopsToDeliver } from '@/service/runs/delivery'
import { takeLeadership } from '@/service/runs/leadership'
import { giveUpLost, releaseDue } from '@/service/runs/open-runs'
import { storeReports } from '@/service/runs/reports'
import { fireDue, nextDueMs } from '@/service/timing/firing'
import { ADMIN, freshDatabase, setClock } from '@/store/database.test-help'
import { execute, many } from '@/store/db'
import { Placer } from './placer'

freshDatabase({ ownClock: true })

/** What is still open so long after is not waited for, in seconds. */
const LONG = 1500
const FILES = Number(process.env.BUGLE_AGREES_FILES ?? 8)
const SEED = Number(process.env.BUGLE_AGREES_SEED ?? 20_261_130)

/** As a server has it: each pool has agents, each job does something and is tried again when its agent goes away, and nothing fails by chance. */
function asServed(bundle: Bundle): Bundle {
  const alone = bundle.pools.filter(({ id }) => !bundle.agents.some(({ pools }) => pools.includes(id)))
  return {
    ...bundle,
    agents: [
      ...bundle.agents,
      ...alone.map(({ id, slots }) => ({ id: `of-${id}`, slots: slots ?? 1, pools: [id], away: [] })),
    ],
    jobs: bundle.jobs.map(({ fails: _, retry: __, ...job }) => ({
      ...job,
      kind: 'command',
      command: 'true',
      retry: { times: 50, delay: 'PT0S' },
    })),
  } as Bundle
}

const lengthOf = (bundle: Bundle, job: string): number => {
  const { expect: expected } = bundle.jobs.find(({ id }) => id === job) ?? {}
  const samples = expected && typeof expected === 'object' && 'samples' in expected ? expected.samples : []
  return [...samples].map((each) => parseDuration(each as string) as number).sort((a, b) => a - b)[1] as number
}

/** A started run in one line: whose, for when, which step, when it began and ended, and where. */
type Line = string

function foretold(bundle: Bundle): Line[] {
  return recorded(modelOf(bundle, FROM, 1))
    .attempts.filter(({ start }) => start !== null)
    .map(({ task: { night, step }, start, end, agent, state }) =>
      [night.of.trigger.id, night.of.at, step.path ?? '-', start, end, agent, state].join(' '),
    )
    .sort()
}

interface Begun {
  readonly attempt: number
  readonly token: number
  readonly agentId: number
  readonly endsAt: number
}

/** Plays the file by the functions of the engine, each instant until nothing changes any more; machines do what they are told without delay. */
async function played(bundle: Bundle): Promise<Line[]> {
  await setClock((FROM - 1) * 1000)
  await execute(
    null,
    'TRUNCATE runs, attempts, triggers, jobs, pools, agents, locks, calendars, areas RESTART IDENTITY CASCADE',
  )
  const { agents } = bundle
  await importBundle(ADMIN, { ...bundle, agents: [] }, false)
  const ids = new Map<string, number>()
  for (const { id, slots, pools } of agents) {
    const agentId = await makeAgent(id, slots)
    ids.set(id, agentId)
    await execute(null, 'INSERT INTO pool_members (pool_id, agent_id) SELECT id, $1 FROM pools WHERE name = ANY($2)', [
      agentId,
      pools,
    ])
  }
  for (const { id } of bundle.jobs)
    await execute(null, 'UPDATE jobs SET usual_ms = $2 WHERE slug = $1', [id, lengthOf(bundle, id) * 1000])
  const epoch = await takeLeadership('00000000-0000-4000-8000-000000000001')
  const placer = new Placer(epoch)
  const going = new Map<number, Begun>()
  const turns = agents.flatMap(({ away }) =>
    away.flatMap(({ from, to }) => [Date.parse(from) / 1000, Date.parse(to) / 1000]),
  )
  const until = FROM + LONG
  for (let now = FROM; now <= until;) {
    await setClock(now * 1000)
    for (const { id, away } of agents) {
      const isAway = away.some(({ from, to }) => Date.parse(from) <= now * 1000 && now * 1000 < Date.parse(to))
      if (isAway) await lose(ids.get(id) as number, now, going)
      await execute(
        null,
        'UPDATE agent_contacts SET last_contact_at = now(), engine_id = CASE WHEN $2 THEN NULL ELSE gen_random_uuid() END WHERE agent_id = $1',
        [ids.get(id), isAway],
      )
    }
    await passInstant(now, going, epoch, placer, bundle)
    const due = await nextDueMs()
    const next = [
      ...[...going.values()].map(({ endsAt }) => endsAt),
      ...turns.filter((at) => at > now),
      ...(due === null ? [] : [Math.ceil(due / 1000)]),
    ].filter((at) => at > now)
    now = Math.min(...next, until + 1)
  }
  return begun()
}

async function passInstant(
  now: number,
  going: Map<number, Begun>,
  epoch: number,
  placer: Placer,
  bundle: Bundle,
): Promise<void> {
  for (let isMoving = true; isMoving;) {
    isMoving = false
    const over = [...going.values()].filter(({ endsAt }) => endsAt <= now)
    await end(over, going, 'exited')
    const stops = await stopsToDeliver([...new Set([...going.values()].map(({ agentId }) => agentId))])
    const stopped = stops.flatMap(({ attempt }) => going.get(attempt) ?? [])
    await end(stopped, going, 'stopped')
    const flowsBefore = (await advanceFlows(now * 1000)).moved
    const released = await releaseDue()
    const fired = await fireDue(epoch, now * 1000)
    const flowsAfter = (await advanceFlows(now * 1000)).moved
    const placed = await placer.placeOnce()
    await begin(now, going, bundle)
    isMoving = over.length + stopped.length + flowsBefore + released + fired.started + flowsAfter + placed > 0
  }
}

/** What runs on an agent that goes away is lost; what ends at that very instant has ended. */
async function lose(agentId: number, now: number, going: Map<number, Begun>): Promise<void> {
  const lost = [...going.values()].filter((one) => one.agentId === agentId && one.endsAt > now)
  await giveUpLost(
    lost.map(({ attempt }) => attempt),
    'Its agent went away.',
  )
  for (const { attempt } of lost) going.delete(attempt)
}

async function begin(now: number, going: Map<number, Begun>, bundle: Bundle): Promise<void> {
  const to = await many<{ agentId: number; connection: number }>(
    null,
    'SELECT agent_id AS "agentId", connection FROM agent_contacts ORDER BY agent_id',
  )
  for (const { agentId, lease } of await leasesToDeliver(to)) {
    const { attempt, token, title } = lease
    await storeReports([{ agentId, attempt, token, seq: 1, body: { ...started, at: Date.now() } }])
    going.set(attempt, { attempt, token, agentId, endsAt: now + lengthOf(bundle, title) })
  }
}

async function end(over: readonly Begun[], going: Map<number, Begun>, how: 'exited' | 'stopped'): Promise<void> {
  await storeReports(
    over.map(({ attempt, token, agentId }) => ({
      agentId,
      attempt,
      token,
      seq: 2,
      body: { ...ended(0, how), at: Date.now() },
    })),
  )
  for (const { attempt } of over) going.delete(attempt)
}

async function begun(): Promise<Line[]> {
  const rows = await many<{ line: string }>(
    null,
    `SELECT concat_ws(' ', t.slug, extract(epoch FROM n.occurrence)::bigint, coalesce(r.step_path, '-'), extract(epoch FROM a.started_at)::bigint,
                      coalesce(extract(epoch FROM a.ended_at)::bigint::text, ''), g.name, a.state) AS line
       FROM attempts a JOIN runs r ON r.id = a.run_id JOIN runs n ON n.id = coalesce(r.flow_run_id, r.id) JOIN triggers t ON t.id = n.trigger_id
       JOIN agents g ON g.id = a.agent_id`,
  )
  return rows.map(({ line }) => line).sort()
}

afterAll(() => jest.useRealTimers())

/** Three minutes of a busy harbour: some 200 runs of 2 to 20 seconds that share agents and locks, with flows, every overlap rule, work so wide that a turn is kept for it, and an agent that goes away. */
function threeMinutes(): Bundle {
  const every = (seconds: number, from = 0): { at: string[] } => ({
    at: Array.from({ length: Math.floor((180 - from) / seconds) }, (_, n) => timeOfDay(from + n * seconds)),
  })
  const job = (id: string, seconds: number, more: object = {}): object => ({
    id,
    pool: 'quay',
    expect: { samples: [seconds, seconds, seconds + 20].map((each) => `PT${each}S`) },
    ...more,
  })
  const checked = checkBundle({
    format: FORMAT,
    pools: [{ id: 'quay' }, { id: 'data' }],
    agents: [
      { id: 'kelda-app1', slots: 3, pools: ['quay'] },
      {
        id: 'kelda-app2',
        slots: 4,
        pools: ['quay', 'data'],
        away: [{ from: isoInstant(FROM + 61), to: isoInstant(FROM + 97) }],
      },
      { id: 'orrin-ops1', slots: 2, pools: ['data'] },
    ],
    locks: [{ id: 'ledger', units: 2 }],
    jobs: [
      job('gulls', 2),
      job('tides', 7),
      job('fares', 11, { locks: { ledger: 1 } }),
      job('archive', 20, { slots: 4 }),
      job('names', 5, { pool: 'data', locks: { ledger: 1 } }),
      job('manifest', 9, { pool: 'data', slots: 2 }),
    ],
    flows: [
      {
        id: 'sailings',
        steps: [
          { id: 'names', job: 'names' },
          { id: 'tides', job: 'tides' },
          { id: 'manifest', job: 'manifest', after: [{ step: 'names' }, { step: 'tides' }] },
          { id: 'post', job: 'fares', after: [{ step: 'manifest' }] },
        ],
      },
    ],
    triggers: [
      { id: 'pulse', start: { job: 'gulls' }, time: every(2), overlap: 'start' },
      { id: 'watch', start: { job: 'tides' }, time: every(5), overlap: 'skip' },
      // A server numbers what waits for the run before when it is due, the forecast when it may go: among what became ready at the same second that decides, so it stands alone.
      {
        id: 'post-fares',
        start: { job: 'fares' },
        time: every(9, 4),
        overlap: 'wait',
        waitMost: 2,
        priority: 'urgent',
      },
      { id: 'newest', start: { job: 'names' }, time: every(4, 1), overlap: 'replace' },
      { id: 'store', start: { job: 'archive' }, time: every(60, 20), overlap: 'start', priority: 'high' },
      { id: 'sail', start: { flow: 'sailings' }, time: every(10, 2), overlap: 'start', finishBy: timeOfDay(240) },
    ],
  })
  if (!checked.ok) throw new Error(JSON.stringify(checked.faults))
  return asServed(checked.bundle)
}

it('the engine plays three busy minutes as the forecast said', async () => {
  const bundle = threeMinutes()
  const said = foretold(bundle)
  expect(said.length).toBeGreaterThan(180)
  expect(said.some((line) => line.endsWith('lost'))).toBe(true)
  expect(await played(bundle)).toEqual(said)
}, 120_000)

it(`the engine starts every run when and where the forecast said (${FILES} files, seed ${SEED})`, async () => {
  for (const bundle of fc.sample(busyBundle, { seed: SEED, numRuns: FILES }).map(asServed)) {
    const said = foretold(bundle)
    expect(await played(bundle)).toEqual(said)
  }
}, 300_000)
