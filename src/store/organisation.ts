// Organisations of one server are strictly apart: each has tables of its own in a schema of its own, owned by a role of its own. What a process does, it does for one of them: each
// transaction looks only at that schema, as a role that has no rights on any other.

import { AsyncLocalStorage } from 'node:async_hooks'

/** The one that every server begins with; its tables stand where they stood before there were others. */
export const FIRST = 1
/** Of no organisation: the list of them, in the schema bugle_server, by its full name. */
const SERVER = 0

// The bundler may load this module once per entry; what one sets the others must see.
const holder = globalThis as typeof globalThis & {
  bugleOrganisation?: AsyncLocalStorage<number>
  bugleIsShared?: boolean
}
const place = (): AsyncLocalStorage<number> => (holder.bugleOrganisation ??= new AsyncLocalStorage())

/** For which organisation this is done. */
export const organisation = (): number => holder.bugleOrganisation?.getStore() ?? FIRST

/** Does all that the work does, and all that follows from it, for this organisation. */
export function inOrganisation<T>(id: number, work: () => T): T {
  return place().run(id, work)
}

/** Does the work for no organisation: it names the schema of each table. */
export function onServer<T>(work: () => T): T {
  return place().run(SERVER, work)
}

/** Runs what comes later, from wherever it is called, for the organisation of now. */
export function fromHere(): <T>(work: () => T) => T {
  const id = organisation()
  return (work) => inOrganisation(id, work)
}

/** One of something that a process keeps, for each organisation. */
export class PerOrganisation<T> {
  private readonly kept = new Map<number, T>()
  constructor(private readonly make: () => T) {}

  get(): T {
    const id = organisation()
    let mine = this.kept.get(id)
    if (mine === undefined) this.kept.set(id, (mine = this.make()))
    return mine
  }
}

export const schemaOf = (id: number): string => (id === FIRST ? 'public' : `organisation_${id}`)
export const roleOf = (id: number): string => `bugle_organisation_${id}`
/** Whoever reads behind the walls of an organisation (walls.ts). */
export const walledRoleOf = (id: number): string => (id === FIRST ? 'bugle_walled' : `bugle_walled_${id}`)

/** Whether there are several on this server, as far as this process knows: alone, the first one needs no wall. */
export function setShared(isShared: boolean): void {
  holder.bugleIsShared = isShared
}

/**
 * What a transaction must say first, to be for the organisation of now and behind the walls of this person; undefined: nothing. All of it ends with the transaction, also where a pooler hands
 * the connection on.
 */
export function entrance(personId: number | undefined): string | undefined {
  const id = organisation()
  if (id === SERVER || (id === FIRST && !holder.bugleIsShared && personId === undefined)) return undefined
  // Numbers and names of ours: one way to the database instead of several, and such a statement takes no parameters.
  return [
    ...(id === FIRST ? [] : [`SET LOCAL search_path = ${schemaOf(id)}`]),
    ...(personId === undefined ? [] : [`SET LOCAL bugle.person = '${Math.trunc(personId)}'`]),
    `SET LOCAL ROLE ${personId === undefined ? roleOf(id) : walledRoleOf(id)}`,
  ].join('; ')
}

/**
 * A role of ours, and that this database's user may become it. Roles are of the whole cluster: another database may have made it, at this very moment too; and a database that was brought to
 * another cluster does not bring it along.
 */
export const roleThere = (role: string): string => `
DO $$ BEGIN
  IF NOT EXISTS (SELECT FROM pg_roles WHERE rolname = '${role}') THEN CREATE ROLE ${role} NOLOGIN; END IF;
EXCEPTION
  WHEN duplicate_object OR unique_violation THEN NULL;
  WHEN insufficient_privilege THEN
    RAISE EXCEPTION 'This user may not make the role ${role}, which Bugle needs. As a superuser: CREATE ROLE ${role} NOLOGIN; GRANT ${role} TO %;', current_user;
END $$;
DO $$ BEGIN
  IF NOT pg_has_role(current_user, '${role}', 'MEMBER') THEN EXECUTE format('GRANT ${role} TO %I', current_user); END IF;
END $$`

/** Everything in the organisation's schema belongs to its role, which may nothing elsewhere. Idempotent. */
export const handOver = (id: number): string => `
GRANT USAGE, CREATE ON SCHEMA ${schemaOf(id)} TO ${roleOf(id)};
DO $$ DECLARE o record; BEGIN
  FOR o IN SELECT c.oid::regclass AS name FROM pg_class c
            WHERE c.relnamespace = '${schemaOf(id)}'::regnamespace AND c.relkind IN ('r','p') AND c.relowner <> '${roleOf(id)}'::regrole
  LOOP EXECUTE format('ALTER TABLE %s OWNER TO ${roleOf(id)}', o.name); END LOOP;
  -- Those of a column went with their table.
  FOR o IN SELECT c.oid::regclass AS name FROM pg_class c
            WHERE c.relnamespace = '${schemaOf(id)}'::regnamespace AND c.relkind = 'S' AND c.relowner <> '${roleOf(id)}'::regrole
              AND NOT EXISTS (SELECT FROM pg_depend d WHERE d.classid = 'pg_class'::regclass AND d.objid = c.oid AND d.deptype IN ('a','i'))
  LOOP EXECUTE format('ALTER SEQUENCE %s OWNER TO ${roleOf(id)}', o.name); END LOOP;
  FOR o IN SELECT p.oid::regprocedure AS name FROM pg_proc p
            WHERE p.pronamespace = '${schemaOf(id)}'::regnamespace AND p.proowner <> '${roleOf(id)}'::regrole
  -- Some of them see more than whoever calls them.
  LOOP EXECUTE format('ALTER FUNCTION %1$s OWNER TO ${roleOf(id)}; REVOKE EXECUTE ON FUNCTION %1$s FROM PUBLIC; GRANT EXECUTE ON FUNCTION %1$s TO ${walledRoleOf(id)}', o.name); END LOOP;
END $$`
