import { fitsPath } from '@/core/events/file-name'
import { parseDuration } from '@/core/timing/duration'
import { triggerIfReadable } from '@/core/work/trigger'
import type { FoundFile, Watch } from '@/agent/protocol'
import { execute, many, maybeOne, transaction, type Tx } from '@/store/db'
import { notify } from '@/store/listen'
import { keepEvents, type ToldEvent } from '@/store/statements/events'
import { requireSomewhere, type Actor } from '@/service/base/actor'
import { closeTrouble, openTrouble } from '@/service/base/trouble'

interface FileTrigger {
  readonly id: number
  readonly title: string
  readonly agentId: number
  readonly agent: string
  readonly definition: unknown
  readonly since: Date
}

const fileTriggers = (agentIds: readonly number[]): Promise<FileTrigger[]> =>
  many<FileTrigger>(
    null,
    `SELECT t.id, t.title, a.id AS "agentId", a.name AS agent, t.definition, t.counted_from AS since
       FROM agents a JOIN triggers t ON t.definition->'file'->'on'->>'agent' = a.name AND t.kind = 'file' AND t.enabled AND t.deleted_at IS NULL
      WHERE a.id = ANY($1) ORDER BY t.id`,
    [agentIds],
  )

/** What each of these agents is to look for; those that look for nothing have an empty list. */
export async function watchesOf(agentIds: readonly number[]): Promise<Map<number, Watch[]>> {
  const found = new Map<number, Watch[]>(agentIds.map((id) => [id, []]))
  if (agentIds.length === 0) return found
  for (const { id, agentId, definition, since } of await fileTriggers(agentIds)) {
    const file = triggerIfReadable(definition)?.file
    if (!file) continue
    found.get(agentId)?.push({
      trigger: id,
      path: file.path,
      settledSeconds: parseDuration(file.settled) ?? 0,
      present: file.present,
      since: since.getTime(),
    })
  }
  return found
}

/** So many files of one trigger may wait to be decided. */
const MOST_OPEN = 5000

/**
 * Keeps what an agent tells of files, to be decided. An agent tells only of triggers that look at it, and of files that fit them; whatever else it says leads to nothing.
 *
 * @returns what it need not tell again; what is missing is told again later
 */
export async function storeFound(agentId: number, found: readonly FoundFile[]): Promise<FoundFile[]> {
  const triggers = new Map((await fileTriggers([agentId])).map((trigger) => [trigger.id, trigger]))
  const fits = found.filter(({ trigger, path }) => {
    const file = triggerIfReadable(triggers.get(trigger)?.definition)?.file
    return file !== undefined && fitsPath(file.path, path)
  })
  if (fits.length === 0) return [...found]
  const open = await openBy([...new Set(fits.map(({ trigger }) => trigger))])
  const full = new Set([...open].filter(([, n]) => n >= MOST_OPEN).map(([id]) => id))
  const told = fits
    .filter(({ trigger }) => !full.has(trigger))
    .map(({ trigger, path, size, modified }): ToldEvent => {
      const { agent } = triggers.get(trigger) as FileTrigger
      return {
        triggerId: trigger,
        key: `${agent} ${path} ${size} ${modified}`,
        at: new Date(),
        facts: { agent, file: path, size, modified: new Date(modified).toISOString() },
      }
    })
  await transaction(async (tx) => {
    if ((await keepEvents(tx, told)) > 0) await notify(tx, { events: true })
  })
  return found.filter(({ trigger }) => !full.has(trigger))
}

async function openBy(triggers: readonly number[]): Promise<Map<number, number>> {
  const rows = await many<{ id: number; n: number }>(
    null,
    `SELECT trigger_id AS id, count(*)::int AS n FROM trigger_events WHERE decided_at IS NULL AND trigger_id = ANY($1) GROUP BY 1`,
    [triggers],
  )
  return new Map(rows.map(({ id, n }) => [id, n]))
}

/** What the agent says of looking for a trigger's files. */
export interface WatchState {
  readonly agent: string
  /** Why it cannot; null: it can. */
  readonly fault: string | null
  readonly at: string
}

/** How it goes with looking for files on an agent's machine: a person is told where it cannot. */
export async function noteWatched(
  agentId: number,
  faults: readonly { readonly trigger: number; readonly fault: string | null }[],
): Promise<void> {
  const triggers = new Map((await fileTriggers([agentId])).map((trigger) => [trigger.id, trigger]))
  const before = new Map(
    (
      await many<WatchState & { trigger: number }>(
        null,
        'SELECT trigger_id AS trigger, agent, fault, at FROM trigger_watches WHERE trigger_id = ANY($1)',
        [[...triggers.keys()]],
      )
    ).map((row) => [row.trigger, row]),
  )
  // After each welcome an agent says all of it anew.
  const known = faults.filter(({ trigger, fault }) => {
    const [asks, said] = [triggers.get(trigger), before.get(trigger)]
    return asks && (said?.agent !== asks.agent || said.fault !== fault)
  })
  if (known.length === 0) return
  await transaction(async (tx) => {
    await execute(
      tx,
      `INSERT INTO trigger_watches (trigger_id, agent, fault) SELECT u.id, $2, u.fault FROM unnest($1::bigint[], $3::text[]) AS u(id, fault)
       ON CONFLICT (trigger_id) DO UPDATE SET agent = excluded.agent, fault = excluded.fault, at = now()`,
      [
        known.map(({ trigger }) => trigger),
        triggers.values().next().value?.agent ?? '',
        known.map(({ fault }) => fault),
      ],
    )
    for (const { trigger, fault } of known) {
      const { title, agent } = triggers.get(trigger) as FileTrigger
      if (fault !== null)
        await openTrouble(tx, {
          subject: `trigger ${trigger} files`,
          title: `${title} cannot look for all of its files on ${agent}`,
          evidence: fault,
          agentId,
        })
    }
    const well = known.filter(({ fault }) => fault === null).map(({ trigger }) => `trigger ${trigger} files`)
    await closeTrouble(tx, well, 'it can look again')
    await notify(tx, { timing: true, matters: true })
  })
}

/** Nobody looks for files of these triggers any more. */
export async function forgetWatches(tx: Tx, triggerIds: readonly number[]): Promise<void> {
  if (triggerIds.length === 0) return
  const gone = await many<{ id: number }>(
    tx,
    'DELETE FROM trigger_watches WHERE trigger_id = ANY($1) RETURNING trigger_id AS id',
    [triggerIds],
  )
  if (gone.length > 0)
    await closeTrouble(
      tx,
      gone.map(({ id }) => `trigger ${id} files`),
      'nobody looks for files for it',
    )
}

export async function watchState(actor: Actor, id: number): Promise<{ watch: WatchState | null }> {
  requireSomewhere(actor, 'see')
  const watch = await maybeOne<WatchState>(null, 'SELECT agent, fault, at FROM trigger_watches WHERE trigger_id = $1', [
    id,
  ])
  return { watch: watch ?? null }
}
