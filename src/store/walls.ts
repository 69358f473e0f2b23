// What a person may not see, the database does not show: whatever is read behind the walls is read by a role that can only read, and only what the policies of each table let it see
// (migration 0017).

import { AsyncLocalStorage } from 'node:async_hooks'
import type { Sequelize, Transaction } from 'sequelize'

// The bundler may load this module once per entry; what one sets the others must see.
const holder = globalThis as typeof globalThis & { bugleWalls?: AsyncLocalStorage<number | undefined> }
const reader = (): AsyncLocalStorage<number | undefined> => (holder.bugleWalls ??= new AsyncLocalStorage())

/** Reads all that the work reads, and all that follows from it, as this person may: rows of areas that the person may not see are not there. It can change nothing. */
export function behindWalls<T>(personId: number, work: () => T): T {
  return reader().run(personId, work)
}

/** Beyond the walls again: for what is worked out of everything and shown in part. The caller answers for what of it is shown. */
export function beyondWalls<T>(work: () => T): T {
  return reader().run(undefined, work)
}

/** The person behind whose walls this is read; undefined: there are none. */
export const whoReads = (): number | undefined => holder.bugleWalls?.getStore()

/** For the rest of the transaction; both end with it, also where a pooler hands the connection on. */
export async function raiseWalls(sequelize: Sequelize, transaction: Transaction, personId: number): Promise<void> {
  // One way to the database instead of two: such a statement takes no parameters.
  const person = Math.trunc(personId)
  await sequelize.query(`SET LOCAL bugle.person = '${person}'; SET LOCAL ROLE bugle_walled`, { transaction })
}

/**
 * The role that reads behind the walls, and that this database's user may become it. Roles are of the whole cluster: another database may have made it, at this very moment too; and a
 * database that was brought to another cluster does not bring it along.
 */
export const WALLS_ROLE = `
DO $$ BEGIN
  IF NOT EXISTS (SELECT FROM pg_roles WHERE rolname = 'bugle_walled') THEN CREATE ROLE bugle_walled NOLOGIN; END IF;
EXCEPTION
  WHEN duplicate_object OR unique_violation THEN NULL;
  WHEN insufficient_privilege THEN
    RAISE EXCEPTION 'This user may not make the role that Bugle reads as for people who may not see everything. As a superuser: CREATE ROLE bugle_walled NOLOGIN; GRANT bugle_walled TO %;', current_user;
END $$;
DO $$ BEGIN
  IF NOT pg_has_role(current_user, 'bugle_walled', 'MEMBER') THEN EXECUTE format('GRANT bugle_walled TO %I', current_user); END IF;
END $$`
