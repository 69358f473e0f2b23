import { randomUUID } from 'node:crypto'
import { ADMIN, freshDatabase, OPERATOR } from '@/store/database.test-help'
import { execute, many, maybeOne, one, transaction } from '@/store/db'
import { connected, ended, makeAgent, makeJob, report, started, stateOf } from '@/service/fixtures.test-help'
import { leasesToDeliver } from '@/service/runs/delivery'
import { takeLeadership } from '@/service/runs/leadership'
import { whyWaiting } from '@/service/runs/run-page'
import { startRun, startSchema } from '@/service/runs/start'
import { Placer } from '@/engine/placer'
import { accountChangeSchema, accountSchema, addAccount, changeAccount, listAccounts, removeAccount } from './accounts'
import { addEnrolmentKey, enrol } from './enrol'
import { addPool, setMembership } from './fleet'
import {
  addRobot,
  changeRobot,
  listRobots,
  oneRobot,
  removeRobot,
  robotSchema,
  tryRobot,
  type RobotRow,
} from './robots'
import { robotsFromFile } from './robots-from-file'
import { robotWork } from './robot-work'
import { noteTried, triesToDeliver, watchSecrets } from './sign-ins'

freshDatabase()

let agentId: number
let accountId: number
let poolId: number
let pool: string
let desk: string
beforeEach(async () => {
  await execute(null, 'DELETE FROM runs')
  desk = `desk-${randomUUID().slice(0, 8)}`
  pool = `pool-${randomUUID().slice(0, 8)}`
  agentId = await makeAgent(desk, 2)
  accountId = (await addAccount(ADMIN, accountSchema.parse({ name: `a-${desk}`, userName: 'clerk' }))).id
  poolId = (await addPool(ADMIN, { name: pool, title: pool })).id
})

const register = async (name: string, more: object = {}): Promise<number> =>
  (await addRobot(ADMIN, robotSchema.parse({ name, agentId, account: { id: accountId }, poolIds: [poolId], ...more })))
    .id
const works = async (): Promise<void> => {
  for (const { agentId: of, ask } of await triesToDeliver(await connected(agentId))) await noteTried(of, ask, null)
}
const start = async (jobId: number): Promise<number> => (await startRun(ADMIN, startSchema.parse({ jobId }))).id
const placer = async (): Promise<Placer> => new Placer(await takeLeadership(randomUUID()))
const row = (id: number): Promise<RobotRow> => oneRobot(ADMIN, id)
const handed = (runId: number): Promise<{ attempt: number; token: number; robotId: number }> =>
  one(null, 'SELECT id AS attempt, token, robot_id AS "robotId" FROM attempts WHERE run_id = $1 ORDER BY number DESC', [
    runId,
  ])

describe('a robot task', () => {
  it('goes to the robot that rests longest, takes no slot, runs under its account, and one at a time', async () => {
    const [a, b] = [await register(`${desk}-a`), await register(`${desk}-b`)]
    await works()
    const job = await makeJob({ target: { robotPool: pool } })
    const runs = [await start(job), await start(job), await start(job)] as [number, number, number]
    const place = await placer()
    expect(await place.placeOnce()).toBe(2)
    expect([(await handed(runs[0])).robotId, (await handed(runs[1])).robotId]).toEqual([a, b])
    expect(await whyWaiting(ADMIN, runs[2])).toMatchObject({ why: 'slot', isRobot: true, agent: `${desk}-a` })
    expect(await row(a)).toMatchObject({ state: 'busy', runId: runs[0] })
    // Both slots of the agent are free beside them.
    const plain = await makeJob({ target: { agent: desk }, slots: 2 })
    const beside = await start(plain)
    expect(await place.placeOnce()).toBe(1)
    expect(await stateOf(beside)).toMatchObject({ state: 'running' })

    const leases = await leasesToDeliver(await connected(agentId))
    expect(leases.find(({ lease }) => lease.run === runs[0])?.lease).toMatchObject({
      robot: { name: `${desk}-a`, hours: 'always' },
      account: `a-${desk}`,
      runAs: 'clerk',
    })
    await report(agentId, await handed(runs[0]), 1, started, ended(0))
    expect(await row(a)).toMatchObject({ state: 'ready', runId: null })
    expect(await place.placeOnce()).toBe(1)
    expect((await handed(runs[2])).robotId).toBe(a)
    const work = await robotWork(ADMIN, { over: 'hour' })
    expect(work.pieces.map(({ robotId, runId }) => [robotId, runId])).toEqual([
      [a, runs[2]],
      [b, runs[1]],
      [a, runs[0]],
    ])
    expect(work.busy[b]).toBeGreaterThan(0)
  })

  it('is never given a robot that has one, whatever the placing thinks', async () => {
    const robotId = await register(`${desk}-a`)
    await works()
    const job = await makeJob({ target: { robot: `${desk}-a` } })
    const [first, second] = [await start(job), await start(job)]
    await (await placer()).placeOnce()
    expect((await handed(first)).robotId).toBe(robotId)
    await expect(
      execute(null, `UPDATE runs SET state = 'running', robot_id = $2 WHERE id = $1`, [second, robotId]),
    ).rejects.toMatchObject({ original: { constraint: 'runs_of_robot' } })
  })

  it('waits, and says what robots lack: hours, account, agent, switch, membership', async () => {
    const id = await register(`${desk}-a`, { earliest: '00:00', latest: '00:01', calendar: null })
    const job = await makeJob({ target: { robotPool: pool } })
    const run = await start(job)
    const lacks = async (): Promise<readonly string[]> => {
      const reason = await whyWaiting(ADMIN, run)
      return reason?.why === 'agent' ? (reason.lacks.find(({ agent }) => agent === `${desk}-a`)?.lacks ?? []) : []
    }
    // At the one minute of the day in which it may work this would be another test.
    const isMidnight = new Date().toISOString().slice(11, 16) === '00:00'
    if (!isMidnight) expect(await lacks()).toEqual(['is out of its hours (00:00–00:01)'])
    await changeRobot(ADMIN, id, { earliest: null, latest: null })
    const [ask] = await triesToDeliver(await connected(agentId))
    await noteTried(agentId, ask?.ask as number, 'The password of clerk has expired.')
    expect(await lacks()).toEqual([`could not sign in as a-${desk}: The password of clerk has expired.`])
    expect(await row(id)).toMatchObject({ state: 'account', tryFault: 'The password of clerk has expired.' })
    await changeRobot(OPERATOR, id, { active: false })
    await setMembership(ADMIN, poolId, { robotId: id, member: true, active: false })
    await execute(null, 'UPDATE agents SET active = false WHERE id = $1', [agentId])
    expect(await lacks()).toEqual([
      `is switched off in pool ${pool}`,
      'is switched off',
      `could not sign in as a-${desk}: The password of clerk has expired.`,
      `works on ${desk}, which is switched off`,
    ])
    expect(await row(id)).toMatchObject({ state: 'off' })
  })

  it('asks for a command or script without slots or an account of its own', async () => {
    await expect(makeJob({ target: { robotPool: pool }, slots: 2 })).rejects.toThrow(/takes no slot/)
    await expect(makeJob({ target: { robot: 'x' }, action: { kind: 'wait', minutes: 1 } })).rejects.toThrow(
      /a command or a script/,
    )
  })
})

describe('trying an account', () => {
  it('is asked for when a robot is registered, when its secret changes, and on demand; old answers count for nothing', async () => {
    const id = await register(`${desk}-a`)
    const tries = async (): Promise<{ ask: number; user: string; secret: string | null }[]> =>
      (await triesToDeliver(await connected(agentId))).map(({ ask, user, secret }) => ({ ask, user, secret }))
    const [first] = await tries()
    expect(first).toMatchObject({ user: 'clerk', secret: null })
    await noteTried(agentId, first?.ask as number, 'No.')
    expect(await tries()).toEqual([])
    const matters = (): Promise<{ title: string; state: string }[]> =>
      many(null, 'SELECT title, state FROM matters WHERE subject = $1', [`sign-in of robot ${id}`])
    expect(await matters()).toEqual([{ title: `The robot ${desk}-a cannot sign in as a-${desk}`, state: 'open' }])
    const change = { userName: 'clerk', notes: '', everywhere: false, agentIds: [], areaIds: null, goodUntil: null }
    await changeAccount(ADMIN, accountId, accountChangeSchema.parse({ ...change, secret: 's3cret' }))
    const [second] = await tries()
    expect(second).toMatchObject({ secret: 's3cret' })
    // Where a robot works under it, it may be used, whatever the list of agents says.
    const account = (await listAccounts(ADMIN)).find((one) => one.id === accountId)
    expect(account?.agents.map((agent) => agent.id)).toEqual([agentId])
    expect(account?.robots).toEqual([{ id, name: `${desk}-a` }])
    await noteTried(agentId, first?.ask as number, 'Too late.')
    await noteTried(agentId + 1, second?.ask as number, 'Not asked.')
    expect(await row(id)).toMatchObject({ isTrying: true, tryFault: 'No.' })
    await noteTried(agentId, second?.ask as number, null)
    expect(await row(id)).toMatchObject({ isTrying: false, tryFault: null, state: 'ready' })
    expect(await matters()).toMatchObject([{ state: 'closed' }])
    await tryRobot(OPERATOR, id)
    expect(await tries()).toHaveLength(1)
  })

  it('tells 14 and 3 days before a secret ends, and when it has; a robot with an ended one takes nothing', async () => {
    const id = await register(`${desk}-a`)
    await works()
    const titles = async (): Promise<string[]> =>
      (
        await many<{ title: string }>(
          null,
          `SELECT title FROM matters WHERE subject LIKE 'secret of account ' || $1::text || ' in %' AND state <> 'closed'`,
          [accountId],
        )
      ).map(({ title }) => title)
    const ends = async (days: number): Promise<void> => {
      await execute(null, 'UPDATE accounts SET good_until = now() + make_interval(days => $2) WHERE id = $1', [
        accountId,
        days,
      ])
      await watchSecrets()
    }
    await ends(20)
    expect(await titles()).toEqual([])
    await ends(10)
    expect(await titles()).toEqual([`The secret of a-${desk} is good for 14 days at most`])
    await ends(2)
    expect(await titles()).toEqual([`The secret of a-${desk} is good for 3 days at most`])
    // Closed by a person it is not opened again for the same.
    await execute(null, `UPDATE matters SET state = 'closed' WHERE subject LIKE 'secret of account%'`)
    await watchSecrets()
    expect(await titles()).toEqual([])
    await ends(-1)
    expect(await titles()).toEqual([`The secret of a-${desk} is no longer good`])
    expect(await row(id)).toMatchObject({
      state: 'account',
      why: expect.stringContaining('whose secret was good until') as string,
    })
    await ends(300)
    expect(await titles()).toEqual([])
    expect(await row(id)).toMatchObject({ state: 'ready' })
  })
})

describe('registering', () => {
  it('takes a new account along, and refuses names, agents, calendars and pools that are none', async () => {
    const account = { name: `new-${desk}`, userName: 'clerk2', secret: 'x', goodUntil: null }
    const id = await register(`${desk}-a`, { account })
    expect(await row(id)).toMatchObject({ account: `new-${desk}`, userName: 'clerk2', agent: desk })
    await expect(register(`${desk.toUpperCase()}-A`)).rejects.toThrow(/is a robot called/)
    await expect(register(`${desk}-b`, { agentId: 4711 })).rejects.toThrow('There is no agent 4711.')
    await expect(register(`${desk}-b`, { calendar: 'nowhere' })).rejects.toThrow('There is no calendar nowhere.')
    await expect(register(`${desk}-b`, { poolIds: [4711] })).rejects.toThrow('There is no pool 4711.')
    await expect(changeRobot(OPERATOR, id, { notes: 'mine' })).rejects.toThrow(/administrator/i)
    expect((await listRobots(ADMIN, { account: `new-${desk}`, label: undefined })).map((one) => one.id)).toEqual([id])
    expect(await listRobots(ADMIN, { agent: desk, state: 'busy' })).toEqual([])
  })

  it('is undone only where nothing needs it; its name is free again, what it did stays told', async () => {
    const id = await register(`${desk}-a`)
    await works()
    const job = await makeJob({ target: { robotPool: pool } })
    const run = await start(job)
    await (await placer()).placeOnce()
    await expect(removeRobot(ADMIN, id)).rejects.toThrow(`It is busy with #${run}`)
    await expect(removeAccount(ADMIN, accountId)).rejects.toThrow(`the robot ${desk}-a`)
    await report(agentId, await handed(run), 1, started, ended(0))
    const only = await makeJob({ target: { robot: `${desk}-a` } }, `Only ${desk}`)
    await expect(removeRobot(ADMIN, id)).rejects.toThrow(`The job Only ${desk} is meant for it alone`)
    await expect(changeRobot(ADMIN, id, { name: `${desk}-c` })).rejects.toThrow('is meant for it alone')
    await changeRobot(ADMIN, id, { name: `${desk}-a`, active: false })
    const waiting = await start(only)
    await execute(null, `UPDATE jobs SET deleted_at = now() WHERE title = $1`, [`Only ${desk}`])
    for (const act of [() => removeRobot(ADMIN, id), () => changeRobot(ADMIN, id, { name: `${desk}-c` })])
      await expect(act()).rejects.toThrow(`#${waiting} waits for it`)
    await execute(null, `UPDATE runs SET state = 'cancelled', ended_at = now() WHERE id = $1`, [waiting])
    await removeRobot(ADMIN, id)
    await removeAccount(ADMIN, accountId)
    expect(await maybeOne(null, 'SELECT robot_id FROM attempts WHERE robot_id = $1', [id])).toBeDefined()
    await expect(oneRobot(ADMIN, id)).rejects.toThrow(/no robot/)
    accountId = (await addAccount(ADMIN, accountSchema.parse({ name: `b-${desk}`, userName: 'clerk' }))).id
    expect(await register(`${desk}-a`)).not.toBe(id)
  })

  it('of a file is all or nothing, and a dry run says what the real one would', async () => {
    const csv = (rows: string): string => `\uFEFFname,agent,account,kind,pools,labels\n${rows}`
    const bad = csv(
      `${desk}-a,${desk},a-${desk},attended,${pool},site=kelda\n${desk}-b,nowhere,a-${desk},sometimes,,\n${desk}-a,${desk},a-${desk},,,\n`,
    )
    const said = await robotsFromFile(ADMIN, { csv: bad, dryRun: true })
    expect(said.lines).toEqual([
      { line: 2, name: `${desk}-a`, faults: [] },
      { line: 3, name: `${desk}-b`, faults: ['There is no agent nowhere.', expect.stringContaining('kind') as string] },
      { line: 4, name: `${desk}-a`, faults: ['Its name stands in the file twice.'] },
    ])
    await expect(robotsFromFile(ADMIN, { csv: bad, dryRun: false })).rejects.toThrow('Nothing was registered: 2 rows')
    expect(await listRobots(ADMIN, { agent: desk })).toEqual([])
    await expect(robotsFromFile(ADMIN, { csv: 'who,what\n1,2', dryRun: true })).rejects.toThrow(/Missing: name/)
    await expect(robotsFromFile(ADMIN, { csv: 'name,agent,account\n"x', dryRun: true })).rejects.toThrow(/no CSV/)
    const good = csv(`${desk}-a,${desk},a-${desk},attended,${pool},site=kelda\n${desk}-b,${desk},a-${desk},,,\n`)
    expect(await robotsFromFile(ADMIN, { csv: good, dryRun: false })).toMatchObject({ registered: 2 })
    expect(await listRobots(ADMIN, { agent: desk, kind: 'attended', pool, label: 'site=kelda' })).toHaveLength(1)
  })

  it('happens with an agent that is enrolled with a key that brings robots along', async () => {
    const robots = [{ name: '{agent}-r', accountId, kind: 'unattended' as const, poolIds: [poolId, 4711] }]
    const { key } = await addEnrolmentKey(ADMIN, { uses: 2, minutes: 5, slots: 1, labels: {}, poolIds: [], robots })
    const facts = {
      host: `h-${desk}`,
      machineId: `machine-${desk}`,
      system: 's',
      arch: 'x',
      version: '1.0.0',
      runtime: 'n',
    }
    const answer = await enrol({ key, facts: { ...facts, abilities: [] }, simulated: false }, 'ws://x')
    expect(answer).toMatchObject({ state: 'granted', agent: `h-${desk}` })
    expect(await listRobots(ADMIN, { agent: `h-${desk}` })).toMatchObject([
      { name: `h-${desk}-r`, account: `a-${desk}`, pools: [{ name: pool, active: true }] },
    ])
    await expect(
      addEnrolmentKey(ADMIN, {
        uses: 1,
        minutes: 5,
        slots: 1,
        labels: {},
        poolIds: [],
        robots: [{ ...robots[0], accountId: 4711 } as (typeof robots)[0]],
      }),
    ).rejects.toThrow('There is no account 4711.')
    // The account is gone when the next one comes: its agent is there all the same.
    await transaction(async (tx) => {
      await execute(tx, 'UPDATE robots SET removed_at = now() WHERE account_id = $1', [accountId])
      await execute(tx, 'DELETE FROM accounts WHERE id = $1', [accountId])
    })
    const next = await enrol(
      { key, facts: { ...facts, machineId: `other-${desk}`, abilities: [] }, simulated: false },
      'ws://x',
    )
    expect(next).toMatchObject({ state: 'granted' })
    expect(await listRobots(ADMIN, { agent: `h-${desk}-2` })).toEqual([])
  })
})
