import { mayCall, readNetwork } from '@/core/net/networks'
import { transaction } from '@/store/db'
import { requireRight, type Actor } from '@/service/base/actor'
import { difference, record } from '@/service/base/audit'
import { readSetting, writeSetting, type Setting } from '@/service/base/settings'

/** Which addresses requests of the server itself may go to: notices, trials. Public ones always; others only when they are listed. */
export async function serverMayReach(): Promise<(address: string) => boolean> {
  const { allow } = await readSetting(null, 'addresses')
  const networks = allow.flatMap((text) => readNetwork(text) ?? [])
  return (address) => mayCall(networks, address)
}

export async function addressesOf(actor: Actor): Promise<Setting<'addresses'>> {
  requireRight(actor, 'administer')
  return readSetting(null, 'addresses')
}

export async function saveAddresses(actor: Actor, request: Setting<'addresses'>): Promise<void> {
  requireRight(actor, 'administer')
  await transaction(async (tx) => {
    const before = await readSetting(tx, 'addresses')
    await writeSetting(tx, 'addresses', request)
    await record(
      tx,
      actor,
      'changed',
      { type: 'setting', id: 'addresses', title: 'Addresses that the server may call' },
      difference(before, request),
    )
  })
}
