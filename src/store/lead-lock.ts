import { Client } from './client'
import { config } from './config'
import { FIRST, organisation } from './organisation'

/** Any number, the same for all engines. */
export const LEADER_LOCK = 4_380_002
/** Begins what the connections of an engine are called in the database; its id follows. */
export const ENGINE_CONNECTIONS = 'bugle engine '

/**
 * The advisory lock of the engine that leads, on a connection of its own: whoever's connection ends, or is ended, holds it no longer.
 */
export class LeadLock {
  /** Each organisation has a leader: the keys of its lock, and how such a lock stands in `pg_locks`. */
  private readonly keys = organisation() === FIRST ? [LEADER_LOCK] : [LEADER_LOCK, organisation()]
  private readonly placed = organisation() === FIRST ? [0, LEADER_LOCK, 1] : [LEADER_LOCK, organisation(), 2]

  private constructor(private readonly client: Client) {}

  /** @param onLost the connection has ended, by itself or by `end`; also one that could not be had. */
  static async connect(onLost: (lock: LeadLock) => void): Promise<LeadLock> {
    const client = new Client({ connectionString: config().databaseUrl, keepAlive: true })
    const lock = new LeadLock(client)
    client.on('error', () => onLost(lock))
    client.on('end', () => onLost(lock))
    await client.connect()
    return lock
  }

  /** Whether it is held now, by this connection. */
  async take(): Promise<boolean> {
    const { rows } = await this.client.query<{ got: boolean }>(
      `SELECT pg_try_advisory_lock(${this.keys.join(', ')}) AS got`,
    )
    return rows[0]?.got ?? false
  }

  /**
   * Ends the connection that holds the lock, and all others of its process with it: one of them may hang in the middle of a transaction and keep for ever what the next leader needs.
   *
   * @returns the database's processes that were ended
   */
  async endHolder(): Promise<number[]> {
    const { rows } = await this.client.query<{ pid: number }>(
      `WITH holder AS (
         SELECT a.pid, a.application_name FROM pg_locks l JOIN pg_stat_activity a ON a.pid = l.pid
          WHERE l.locktype = 'advisory' AND l.classid = $1 AND l.objid = $2 AND l.objsubid = $3 AND l.granted AND l.pid <> pg_backend_pid()
            AND l.database = (SELECT oid FROM pg_database WHERE datname = current_database()))
       SELECT a.pid, pg_terminate_backend(a.pid) FROM pg_stat_activity a JOIN holder h ON a.pid = h.pid OR (h.application_name LIKE $4 AND a.application_name = h.application_name)`,
      [...this.placed, `${ENGINE_CONNECTIONS}%`],
    )
    return rows.map(({ pid }) => pid)
  }

  async end(): Promise<void> {
    await this.client.end().catch(() => undefined)
  }
}
