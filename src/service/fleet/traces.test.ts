import { randomBytes } from 'node:crypto'
import { gunzipSync } from 'node:zlib'
import { ADMIN, freshDatabase, OPERATOR } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { makeAgent } from '@/service/fixtures.test-help'
import { endTrace, listTraces, purgeTraces, startTrace, storeTrace, traceFile, traceSchema, tracesOf } from './traces'

freshDatabase()

let agent: number
let other: number
beforeAll(async () => {
  ;[agent, other] = [await makeAgent('orrin-ops1'), await makeAgent('orrin-ops2')]
  await execute(null, `UPDATE agents SET abilities = abilities || '["trace"]' WHERE id = $1`, [agent])
})
beforeEach(() => execute(null, 'DELETE FROM traces'))

const line = (what: string, facts: Record<string, number | string> = {}) => ({
  at: Date.UTC(2027, 2, 9, 2),
  what,
  facts,
})
async function read(id: number): Promise<object[]> {
  const { pieces } = await traceFile(ADMIN, id)
  const all: Buffer[] = []
  for await (const piece of pieces) all.push(piece)
  const text = gunzipSync(Buffer.concat(all)).toString('utf8')
  return text
    .trim()
    .split('\n')
    .map((one) => JSON.parse(one) as object)
}

it('goes on until its time; what is told meanwhile is one file', async () => {
  const { id } = await startTrace(ADMIN, agent, { minutes: 5 })
  expect((await tracesOf([agent, other])).get(agent)).toMatchObject({ trace: id })
  await expect(startTrace(ADMIN, agent, { minutes: 5 })).rejects.toThrow('A trace of orrin-ops1 goes on already.')
  await storeTrace(agent, id, [line('takes', { attempt: 3 }), line('process began', { pid: 99 })])
  await storeTrace(agent, id, [line('process ended', { how: 'exited' })])
  // Nobody else adds to it.
  await storeTrace(other, id, [line('takes')])
  expect(await read(id)).toEqual([
    { at: '2027-03-09T02:00:00.000Z', what: 'takes', attempt: 3 },
    { at: '2027-03-09T02:00:00.000Z', what: 'process began', pid: 99 },
    { at: '2027-03-09T02:00:00.000Z', what: 'process ended', how: 'exited' },
  ])
  expect((await traceFile(ADMIN, id)).name).toMatch(/^orrin-ops1-\d{8}T\d{4}\.jsonl\.gz$/)
  await endTrace(ADMIN, id)
  expect((await tracesOf([agent])).size).toBe(0)
  await expect(endTrace(ADMIN, id)).rejects.toThrow('It does not go on any more.')
  expect(await listTraces(ADMIN, agent)).toMatchObject([{ id, lines: 3, goesOn: false, rolled: false }])
})

it('is kept up to its size: the oldest go; and for two weeks', async () => {
  const { id } = await startTrace(ADMIN, agent, { minutes: 60 })
  await storeTrace(agent, id, [line('first')])
  await storeTrace(agent, id, [line('second', { noise: randomBytes(200).toString('hex') })])
  await execute(null, 'UPDATE traces SET bytes = $2 WHERE id = $1', [id, 50 * 1024 * 1024 - 10])
  await storeTrace(agent, id, [line('third')])
  const left = (await read(id)) as { what: string }[]
  expect(left.map(({ what }) => what)).not.toContain('first')
  expect(left.at(-1)).toMatchObject({ what: 'third' })
  expect(await one(null, 'SELECT rolled FROM traces WHERE id = $1', [id])).toEqual({ rolled: true })
  await execute(null, `UPDATE traces SET until = now() - interval '2 minutes' WHERE id = $1`, [id])
  await storeTrace(agent, id, [line('too late')])
  expect(await one(null, 'SELECT lines::int FROM traces WHERE id = $1', [id])).toEqual({ lines: 3 })
  await execute(null, `UPDATE traces SET until = now() - interval '15 days' WHERE id = $1`, [id])
  await purgeTraces()
  expect(await many(null, 'SELECT FROM trace_chunks')).toEqual([])
})

it('is for administrators, of agents that can', async () => {
  await expect(startTrace(OPERATOR, agent, { minutes: 5 })).rejects.toThrow()
  await expect(listTraces(OPERATOR, agent)).rejects.toThrow()
  await expect(startTrace(ADMIN, other, { minutes: 5 })).rejects.toThrow('orrin-ops2 cannot tell what it does')
  await expect(startTrace(ADMIN, 999_999, { minutes: 5 })).rejects.toThrow('no agent')
  await expect(traceFile(ADMIN, 999_999)).rejects.toThrow('no trace')
  expect([4, 5, 120, 121].map((minutes) => traceSchema.safeParse({ minutes }).success)).toEqual([
    false,
    true,
    true,
    false,
  ])
})
