import { answerAsk, askForMore } from '@/service/fleet/allowance-asks'
import { listAllowances, setAllowance } from '@/service/fleet/allowances'
import { keepUse } from '@/service/runs/use'
import { COMMAND_LINE, type Actor } from '@/service/base/actor'
import { one } from '@/store/db'

/** What may be used at once, how much was, and an ask that was granted. */
export async function addAllowances(now: Date): Promise<void> {
  const ines: Actor = { ...COMMAND_LINE, name: 'Ines Aldaya' }
  const { id } = await one<{ id: number }>(null, `SELECT id FROM areas WHERE title = 'Sailing'`)
  await setAllowance(ines, { what: 'slots', areaId: id, units: 14 })
  await setAllowance(ines, { what: 'unattended', areaId: null, units: 4 })
  const { allowances } = await listAllowances(ines)
  const ofSailing = allowances.find(({ areaId }) => areaId === id)?.id ?? 0
  const moira = await one<{ id: number }>(null, `SELECT id FROM people WHERE name = 'Moira Calder'`)
  const ask = await askForMore({ ...COMMAND_LINE, id: moira.id, name: 'Moira Calder' }, ofSailing, {
    units: 2,
    why: 'The winter timetable brings ten more sailings a day to Little Brack.',
    until: new Date(now.getTime() + 21 * 86_400_000).toISOString(),
  })
  await answerAsk(ines, ask.id, { grant: true, answer: 'Until the new database server is there.' })
  while (await keepUse(now.getTime()));
}
