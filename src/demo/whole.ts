import { COMMAND_LINE } from '@/service/base/actor'
import { changeOrganisation, makeOrganisation } from '@/service/organisations/organisations'
import { joinIdentities } from '@/service/people/identities'
import { addServiceAccount } from '@/service/work/service-accounts'
import { enterServerAdministrator } from '@/service/people/server-administrators'
import { execute, one, transaction } from '@/store/db'
import { FIRST, inOrganisation, onServer } from '@/store/organisation'
import { addProvider, providerSchema } from '@/service/elsewhere/providers'
import { PROVIDER } from './elsewhere'
import { NIGHT_DESK } from './scenario'
import { loadDemo, type DemoSecrets } from './load'
import { loadYard } from './yard'
import { YARD_TITLE } from './yard-scenario'

/** Loads the ferries and, beside them, the yard. Returns null, changing nothing, if anybody is in the first organisation already. */
export async function loadWholeDemo(now: Date): Promise<DemoSecrets | null> {
  const secrets = await loadDemo(now)
  if (!secrets) return null
  const idOf = (name: string): Promise<{ id: number }> =>
    one<{ id: number }>(null, 'SELECT id FROM people WHERE name = $1', [name])
  const [ines, torvald] = [await idOf('Ines Aldaya'), await idOf('Torvald Brekke')]
  await onServer(() => transaction((tx) => enterServerAdministrator(tx, FIRST, ines.id)))
  await changeOrganisation(COMMAND_LINE, FIRST, { title: 'Marram Sound Ferries' })
  const night = await one<{ id: number }>(null, 'SELECT id FROM groups WHERE title = $1', [NIGHT_DESK.title])
  const { people: _, operators, nightDesk, ...provider } = PROVIDER
  await addProvider(
    { ...COMMAND_LINE, name: 'Ines Aldaya' },
    providerSchema.parse({
      ...provider,
      makesPeople: true,
      role: 'viewer',
      rules: [
        { value: operators, role: 'operator' },
        { value: nightDesk, groupId: night.id },
      ],
    }),
  )
  const freight = await one<{ id: number }>(null, `SELECT id FROM areas WHERE title = 'Freight'`)
  await addServiceAccount(
    { ...COMMAND_LINE, name: 'Ines Aldaya' },
    {
      title: 'Freight office export',
      notes: 'Fetches each morning what was invoiced.',
      areaId: freight.id,
      may: 'see',
    },
  )
  const { id: yard } = await makeOrganisation({ ...COMMAND_LINE, name: 'Ines Aldaya' }, { title: YARD_TITLE })
  const { people, machines } = await inOrganisation(yard, async () => {
    const loaded = await loadYard(now)
    // Its people are there: the code for a first one is not needed.
    await execute(null, 'DELETE FROM setup_codes')
    await execute(null, 'ANALYZE runs, attempts, jobs, triggers')
    return loaded
  })
  await joinIdentities([
    { organisationId: FIRST, personId: torvald.id },
    { organisationId: yard, personId: people.get('Torvald Brekke') as number },
  ])
  return { machines: [...secrets.machines, ...machines] }
}
