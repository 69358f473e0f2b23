import { Client } from './client'
import { config } from './config'
import { many, type Tx } from './db'
import { FIRST, fromHere, organisation } from './organisation'

/** What changed, for browsers and engines. It only wakes: whoever misses one finds the change by itself a little later. */
export interface Change {
  readonly runs?: readonly number[]
  readonly fleet?: true
  readonly matters?: true
  readonly jobs?: true
  /** Reports, and how far those are that are being made. */
  readonly reports?: true
  /** Items of work queues. */
  readonly items?: true
  /** Calendars, triggers, or what they started. */
  readonly timing?: true
  /** Who may see what: people, groups, areas. */
  readonly people?: true
  /** Engines: something happened that a trigger may start for. */
  readonly events?: true
  /** Engines: something may be ready to be placed. */
  readonly place?: true
  /** Engines: leases or stop requests are there to be delivered. */
  readonly deliver?: true
}

const channel = (): string => (organisation() === FIRST ? 'bugle' : `bugle_${organisation()}`)
/** PostgreSQL's limit is 8000 bytes; beyond this many runs everybody just looks again. */
const MOST_RUNS = 500

/** Tells everybody once the transaction is committed. */
export async function notify(tx: Tx | null, change: Change): Promise<void> {
  const runs = change.runs && change.runs.length > MOST_RUNS ? [] : change.runs
  await many(tx, 'SELECT pg_notify($1, $2)', [channel(), JSON.stringify({ ...change, ...(runs ? { runs } : {}) })])
}

/** Hears every change of the organisation that it is called for, on a connection of its own, connecting again whenever it breaks. Returns how to stop. */
export function listen(onChange: (change: Change) => void): () => Promise<void> {
  const here = fromHere()
  let client: Client | undefined
  let stopped = false
  let retry: NodeJS.Timeout | undefined

  const connect = async (): Promise<void> => {
    const fresh = new Client({ connectionString: config().directDatabaseUrl, keepAlive: true })
    client = fresh
    fresh.on('notification', ({ payload }) => here(() => onChange(JSON.parse(payload ?? '{}') as Change)))
    const again = (): void => {
      if (stopped || client !== fresh) return
      client = undefined
      retry = setTimeout(() => void here(connect), 500)
    }
    fresh.on('error', again)
    fresh.on('end', again)
    try {
      await fresh.connect()
      await fresh.query(`LISTEN ${channel()}`)
      // What happened while nobody listened is looked for now.
      onChange({
        runs: [],
        fleet: true,
        matters: true,
        jobs: true,
        items: true,
        timing: true,
        events: true,
        place: true,
        deliver: true,
      })
    } catch {
      fresh.end().catch(() => undefined)
      again()
    }
  }
  void connect()
  return async () => {
    stopped = true
    clearTimeout(retry)
    await client?.end().catch(() => undefined)
  }
}
