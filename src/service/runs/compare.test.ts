import { actor, ADMIN, freshDatabase, VIEWER } from '@/store/database.test-help'
import { execute } from '@/store/db'
import { compareMachines, compareMachinesSchema, type Machines } from './compare-machines'
import { compareRuns, compareSchema, likeRun, type Comparison } from './compare'
import { connected, ended, lease, makeAgent, makeJob, output, report, started } from '@/service/fixtures.test-help'
import { makeTrigger } from '@/service/timing/timing.test-help'
import { startRun, startSchema } from './start'

freshDatabase()

let agent: number
let job: number
beforeAll(async () => {
  agent = await makeAgent('orrin-ops1', 100)
  await connected(agent)
  job = await makeJob({ target: { agent: 'orrin-ops1' } })
})

async function run(lines: readonly string[], exitCode = 0, outputs: Record<string, string> = {}): Promise<number> {
  const { id } = await startRun(ADMIN, startSchema.parse({ jobId: job }))
  await report(agent, await lease(id, agent), 1, started, output(...lines), { ...ended(exitCode), outputs })
  // How long it took here is the machine's business.
  await execute(null, 'UPDATE runs SET duration_ms = 1000 WHERE id = $1', [id])
  return id
}
const compare = (a: number, b: number, more: object = {}): Promise<Comparison> =>
  compareRuns(VIEWER, compareSchema.parse({ a, b, ...more }))
/** As it reads: `-` and `+` before what differs, dots for what is folded. */
const told = ({ stretches }: Comparison): string[] =>
  stretches.flatMap(({ kind, lines, folded }) =>
    kind === 'folded'
      ? [`… ${folded}`]
      : lines.map(({ text }) => `${{ same: ' ', 'taken away': '-', 'put in': '+' }[kind]} ${text}`),
  )

const CONFIG = Array.from({ length: 40 }, (_, i) => `key-${i} = ${i}`)

it('tells what differs, with what stands around it, and folds the rest', async () => {
  const a = await run(['checked at 2027-03-09T02:00:00Z in 3 s', ...CONFIG])
  const b = await run([
    'checked at 2027-03-10T02:00:04Z in 4 s',
    ...CONFIG.map((line) => (line === 'key-20 = 20' ? 'key-20 = \u001b[31m21\u001b[0m' : line)),
    'one more',
  ])
  const found = await compare(a, b)
  expect(told(found)).toEqual([
    '… 18',
    '  key-17 = 17',
    '  key-18 = 18',
    '  key-19 = 19',
    '- key-20 = 20',
    '+ key-20 = 21',
    '  key-21 = 21',
    '  key-22 = 22',
    '  key-23 = 23',
    '… 13',
    '  key-37 = 37',
    '  key-38 = 38',
    '  key-39 = 39',
    '+ one more',
  ])
  expect(found).toMatchObject({ takenAway: 1, putIn: 2, isCut: false, facts: [] })
  expect(found.a).toMatchObject({ id: a, lines: 41, lacks: null, state: 'succeeded' })
  const changed = found.stretches.find(({ kind }) => kind === 'put in')?.lines[0]
  expect(changed).toMatchObject({ a: null, b: 22 })
  expect(changed?.pieces?.filter((piece) => piece.changed)).toEqual([{ text: '21', changed: true }])
  // With the mask off the instant is another.
  expect((await compare(a, b, { off: 'instants\ndurations' })).takenAway).toBe(2)
  expect((await compare(a, b, { own: 'key-20 = \\d+\none more' })).takenAway).toBe(0)
})

it('says what else was different', async () => {
  const a = await run(['x'], 0, { boats: '11' })
  const b = await run(['x'], 3, { boats: '12' })
  expect((await compare(a, b)).facts).toEqual([
    { what: 'exit code', a: '0', b: '3' },
    { what: 'handed on boats', a: '11', b: '12' },
  ])
})

it('of very much that differs a part is told, and all of it counted', async () => {
  const a = await run(Array.from({ length: 1500 }, (_, i) => `a ${i}`))
  const b = await run(['begin', ...Array.from({ length: 3500 }, (_, i) => `b ${i}`)])
  const found = await compare(a, b)
  expect(found).toMatchObject({ takenAway: 1500, putIn: 3501, isCut: true })
  expect(told(found)).toHaveLength(4000)
})

it('without outputs says why, and does not fail', async () => {
  const a = await run(['x'])
  const { id: waiting } = await startRun(ADMIN, startSchema.parse({ jobId: job }))
  expect((await compare(a, waiting)).b.lacks).toBe('It has not run yet.')
  await execute(null, 'UPDATE attempts SET output_purged = true WHERE run_id = $1', [a])
  expect((await compare(a, a)).a.lacks).toBe('Its output was cleared away.')
})

it('refuses what it cannot read, and what is not there', async () => {
  const a = await run(['x'])
  await expect(compare(a, a, { own: 'fine\n(' })).rejects.toMatchObject({ errors: [{ path: 'own[1]' }] })
  await expect(compare(a, 999_999)).rejects.toMatchObject({ code: 'not-found' })
  expect(compareSchema.safeParse({ a, b: a, off: 'colours' }).success).toBe(false)
  await expect(compareRuns(actor('none' as never), compareSchema.parse({ a, b: a }))).rejects.toMatchObject({
    code: 'not-allowed',
  })
})

it('knows the run before, and the last good one', async () => {
  const good = await run(['x'])
  const bad = await run(['x'], 1)
  const now = await run(['x'], 1)
  expect(await likeRun(VIEWER, now)).toEqual({ before: bad, good, machines: 0 })
  // Started on every machine: another machine’s says nothing.
  await execute(null, 'UPDATE runs SET for_agent_id = $2 WHERE id = ANY($1)', [[good, now], agent])
  expect(await likeRun(VIEWER, now)).toEqual({ before: good, good, machines: 0 })
  await expect(likeRun(VIEWER, 999_999)).rejects.toMatchObject({ code: 'not-found' })
})

describe('one start on many machines', () => {
  const machines = (of: number, more: object = {}): Promise<Machines> =>
    compareMachines(VIEWER, of, compareMachinesSchema.parse(more))

  it('is told by what they wrote, the odd ones first, with what is different from the most', async () => {
    const trigger = await makeTrigger({ spread: 'each' })
    const of = async (text: string): Promise<number> => {
      const id = await run(['checked at 2027-03-09T02:00:00Z', text, 'end'])
      await execute(
        null,
        `UPDATE runs SET trigger_id = $2, occurrence = '2027-03-09T03:00:00Z', for_agent_id = $3 WHERE id = $1`,
        [
          id,
          trigger,
          // The same machine would be the same start twice.
          await makeAgent(`machine-${id}`),
        ],
      )
      return id
    }
    const usual = [await of('port = 1'), await of('port = 1'), await of('port = 1')]
    const odd = await of('port = 2')
    const other = await run(['of another start'])
    const found = await machines(usual[0] as number)
    expect(found.groups.map(({ runs, differs, more }) => [runs.map(({ id }) => id), differs, more])).toEqual([
      [
        [odd],
        [
          { sign: '-', text: 'port = 1' },
          { sign: '+', text: 'port = 2' },
        ],
        0,
      ],
      [expect.arrayContaining(usual), [], 0],
    ])
    expect((await likeRun(VIEWER, odd)).machines).toBe(3)
    expect((await machines(odd, { own: 'port = \\d' })).groups).toHaveLength(1)
    // What is not over is told, and not compared.
    await execute(null, `UPDATE runs SET ended_at = NULL, state = 'running' WHERE id = $1`, [odd])
    const still = await machines(odd)
    expect([still.groups.length, still.leftOut.map(({ id }) => id)]).toEqual([1, [odd]])
    await execute(null, `UPDATE runs SET ended_at = now(), state = 'succeeded' WHERE id = $1`, [odd])
    // Of a run that was started alone there is one machine.
    expect((await machines(other)).groups.map(({ runs }) => runs.map(({ id }) => id))).toEqual([[other]])
    await expect(machines(999_999)).rejects.toMatchObject({ code: 'not-found' })
  })
})
