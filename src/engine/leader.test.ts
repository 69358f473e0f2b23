import { randomUUID } from 'node:crypto'
import pg from 'pg'
import { handOut } from '@/service/runs/hand-out'
import { LeadershipLost, renewLeadership } from '@/service/runs/leadership'
import { freshDatabase } from '@/store/database.test-help'
import { execute, many, one } from '@/store/db'
import { ENGINE_CONNECTIONS, LEADER_LOCK } from '@/store/lead-lock'
import { Leader } from './leader'
import { eventually } from './line.test-help'
import { Troubles } from './trouble'

freshDatabase()

const leaders: Leader[] = []
function leader(): { id: string; leader: Leader } {
  const id = randomUUID()
  const made = new Leader(id, new Troubles())
  leaders.push(made)
  return { id, leader: made }
}
afterEach(async () => {
  for (const one of leaders.splice(0)) await one.stop()
})
const lead = (): Promise<{ epoch: number; engine: string; left: number }> =>
  one(null, 'SELECT epoch, engine_id AS engine, extract(epoch FROM lease_until - now())::float AS left FROM leadership')

describe('the lead', () => {
  it('is renewed by the loops that do the work', async () => {
    const { leader: first } = leader()
    await eventually(async () => first.leads)
    await execute(null, `UPDATE leadership SET lease_until = now() + interval '1 second'`)
    await eventually(async () => (await lead()).left > 5)
    expect(first.leads).toBe(true)
  })

  it('passes on at once when the leader ends', async () => {
    const { leader: first } = leader()
    await eventually(async () => first.leads)
    const { leader: second } = leader()
    await first.stop()
    await eventually(async () => second.leads)
  })

  it('is taken from one that hangs in the middle of a transaction, whatever its connections hold', async () => {
    const hanging = async (): Promise<pg.Client> => {
      const client = new pg.Client({
        connectionString: process.env.DATABASE_URL,
        application_name: `${ENGINE_CONNECTIONS}hangs`,
      })
      client.on('error', () => undefined)
      await client.connect()
      return client
    }
    const [holder, worker] = [await hanging(), await hanging()]
    await holder.query('SELECT pg_advisory_lock($1)', [LEADER_LOCK])
    await worker.query('BEGIN')
    await worker.query('SELECT epoch FROM leadership FOR SHARE')
    const { leader: next } = leader()
    // Its lease runs out: by the connection that holds it, since nobody else may change it.
    await worker.query(`UPDATE leadership SET lease_until = now() - interval '1 second'`)
    await worker.query('COMMIT AND CHAIN')
    await worker.query('SELECT epoch FROM leadership FOR SHARE')
    await eventually(async () => next.leads)
  })

  it('under an older epoch cannot be renewed, and hands out nothing', async () => {
    const { leader: first } = leader()
    await eventually(async () => first.leads)
    const { epoch } = await lead()
    await execute(null, 'UPDATE leadership SET epoch = epoch + 1')
    await expect(renewLeadership(epoch)).rejects.toBeInstanceOf(LeadershipLost)
    await expect(handOut(epoch, [{ runId: 1, agentId: 1 }])).rejects.toBeInstanceOf(LeadershipLost)
    await eventually(async () => (await lead()).epoch > epoch + 1)
  })
})

describe('what an engine cannot do', () => {
  it('is a matter that names it, once, and is closed when it can again', async () => {
    const troubles = new Troubles()
    const what = `count the boats ${randomUUID()}`
    for (let i = 0; i < 3; i++) await troubles.watch(what, () => Promise.reject(new Error('no boats\nand a stack')))
    const found = (): Promise<object[]> =>
      many(null, 'SELECT title, evidence, state, times FROM matters WHERE subject = $1', [`engine ${what}`])
    expect(await found()).toEqual([
      { title: `The engine cannot ${what}`, evidence: 'no boats', state: 'open', times: 1 },
    ])
    await troubles.watch(what, () => Promise.resolve())
    expect(await found()).toMatchObject([{ state: 'closed' }])
  })

  it('while the database is away is nobody’s matter', async () => {
    const troubles = new Troubles()
    const away = Object.assign(new Error('gone'), { code: '57P01' })
    await troubles.watch('count', () => Promise.reject(away))
    expect(await many(null, `SELECT 1 FROM matters WHERE subject = 'engine count'`)).toEqual([])
  })
})
