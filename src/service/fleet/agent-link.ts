import type { AgentFacts } from '@/agent/protocol'
import { config } from '@/store/config'
import { db, execute, many, maybeOne, one, transaction } from '@/store/db'
import { notify } from '@/store/listen'
import { addAgentEvent } from './fleet'
import { openTrouble } from '@/service/base/trouble'
import { hashToken } from '@/service/base/secrets'

export interface LinkedAgent {
  readonly id: number
  readonly name: string
  readonly slots: number
  readonly draining: boolean
  /** Of the credential that let it in: a connection is good only as long as the agent has this one. */
  readonly credentialHash: string
}

/** Whose credential this is; undefined: nobody's, or revoked. */
export function agentByCredential(credential: string): Promise<LinkedAgent | undefined> {
  return maybeOne<LinkedAgent>(
    null,
    'SELECT id, name, slots, draining, credential_hash AS "credentialHash" FROM agents WHERE credential_hash = $1',
    [hashToken(credential)],
  )
}

export interface AgentSettings {
  readonly id: number
  readonly slots: number
  readonly draining: boolean
  readonly credentialHash: string | null
  /** The connection that speaks for it now; null: none has greeted yet. */
  readonly connection: number | null
}

export function settingsOf(ids: readonly number[]): Promise<AgentSettings[]> {
  return many(
    null,
    `SELECT a.id, a.slots, a.draining, a.credential_hash AS "credentialHash", c.connection
       FROM agents a JOIN agent_contacts c ON c.agent_id = a.id WHERE a.id = ANY($1)`,
    [ids],
  )
}

/** What came of a hello: the claim's number, or why it has none. */
export type Claim =
  | { readonly kind: 'claimed'; readonly connection: number }
  | { readonly kind: 'revoked' }
  /** This start of the program was replaced by another one, which is still there: two agents use one credential. */
  | { readonly kind: 'cloned' }

const CLONED = 'Two agents use one credential'

/**
 * The agent speaks over this connection of this engine from now on: whatever an older one says is refused, on every engine. Its facts are taken over; changes of version or system become
 * key events.
 */
export async function agentConnected(
  agent: LinkedAgent,
  engineId: string,
  facts: AgentFacts,
  instance: string | undefined,
): Promise<Claim> {
  return transaction(async (tx) => {
    const row = await db().agents.findOne({
      where: { id: agent.id, credentialHash: agent.credentialHash },
      transaction: tx,
      lock: true,
    })
    if (!row) return { kind: 'revoked' }
    const isClone = await maybeOne(
      tx,
      `SELECT 1 FROM agent_contacts WHERE agent_id = $1 AND replaced_instance = $2 AND instance <> $2 AND engine_id IS NOT NULL
          AND last_contact_at > now() - make_interval(secs => $3)`,
      [agent.id, instance ?? null, config().awaySeconds],
    )
    if (isClone) {
      await addAgentEvent(
        tx,
        agent.id,
        'two at once',
        `${facts.host} calls with the credential of one that is connected`,
      )
      await openTrouble(tx, {
        subject: `clone ${agent.id}`,
        title: `${CLONED}: ${agent.name}`,
        evidence: `From ${facts.host}. One of them is probably a copy of the other’s folder: enrol it anew, or revoke the credential.`,
        agentId: agent.id,
      })
      await notify(tx, { fleet: true, matters: true })
      return { kind: 'cloned' }
    }
    if (row.version !== facts.version)
      await addAgentEvent(tx, agent.id, 'version changed', `${row.version} → ${facts.version}`)
    const { host, system, arch, version, runtime, abilities } = facts
    await row.update({ host, system, arch, version, runtime, abilities }, { transaction: tx })
    const { connection } = await one<{ connection: number }>(
      tx,
      `UPDATE agent_contacts SET engine_id = $2, connected_at = now(), last_contact_at = now(), connection = nextval('agent_connections'),
              replaced_instance = CASE WHEN instance = $3 THEN replaced_instance ELSE instance END, instance = $3
        WHERE agent_id = $1 RETURNING connection`,
      [agent.id, engineId, instance ?? null],
    )
    await addAgentEvent(tx, agent.id, 'connected', `version ${version}`)
    await notify(tx, { fleet: true, place: true, deliver: true })
    return { kind: 'claimed', connection }
  })
}

export async function agentDisconnected(agentId: number, connection: number): Promise<void> {
  await transaction(async (tx) => {
    const gone = await execute(
      tx,
      'UPDATE agent_contacts SET engine_id = NULL, connection = NULL WHERE agent_id = $1 AND connection = $2',
      [agentId, connection],
    )
    if (gone === 0) return
    await addAgentEvent(tx, agentId, 'disconnected')
    await notify(tx, { fleet: true })
  })
}
