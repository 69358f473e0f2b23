import type { AgentFacts } from '@/agent/protocol'
import { db, execute, many, maybeOne, transaction } from '@/store/db'
import { notify } from '@/store/listen'
import { addAgentEvent } from './fleet'
import { hashToken } from './secrets'

export interface LinkedAgent {
  readonly id: number
  readonly name: string
  readonly slots: number
  readonly draining: boolean
}

/** Whose credential this is; undefined: nobody's, or revoked. */
export function agentByCredential(credential: string): Promise<LinkedAgent | undefined> {
  return maybeOne<LinkedAgent>(null, 'SELECT id, name, slots, draining FROM agents WHERE credential_hash = $1', [
    hashToken(credential),
  ])
}

export interface AgentSettings {
  readonly id: number
  readonly slots: number
  readonly draining: boolean
  readonly revoked: boolean
}

export function settingsOf(ids: readonly number[]): Promise<AgentSettings[]> {
  return many(null, 'SELECT id, slots, draining, credential_hash IS NULL AS revoked FROM agents WHERE id = ANY($1)', [
    ids,
  ])
}

/** The agent is connected to this engine: its facts are taken over, changes of version or system become key events. */
export async function agentConnected(agent: LinkedAgent, engineId: string, facts: AgentFacts): Promise<void> {
  await transaction(async (tx) => {
    const row = await db().Agent.findByPk(agent.id, { transaction: tx })
    if (!row) return
    if (row.version !== facts.version)
      await addAgentEvent(tx, agent.id, 'version changed', `${row.version} → ${facts.version}`)
    const { host, system, arch, version, runtime, abilities } = facts
    await row.update({ host, system, arch, version, runtime, abilities }, { transaction: tx })
    await execute(
      tx,
      'UPDATE agent_contacts SET engine_id = $2, connected_at = now(), last_contact_at = now() WHERE agent_id = $1',
      [agent.id, engineId],
    )
    await addAgentEvent(tx, agent.id, 'connected', `version ${version}`)
    await notify(tx, { fleet: true, place: true, deliver: true })
  })
}

export async function agentDisconnected(agentId: number, engineId: string): Promise<void> {
  await transaction(async (tx) => {
    const gone = await execute(
      tx,
      'UPDATE agent_contacts SET engine_id = NULL WHERE agent_id = $1 AND engine_id = $2',
      [agentId, engineId],
    )
    if (gone === 0) return
    await addAgentEvent(tx, agentId, 'disconnected')
    await notify(tx, { fleet: true })
  })
}
