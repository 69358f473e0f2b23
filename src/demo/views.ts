import { viewSchema } from '@/core/views/view'
import { COMMAND_LINE } from '@/service/base/actor'
import { addView, setFirstView } from '@/service/views/views'
import { one } from '@/store/db'

/** What Sunniva Dahl looks at when she comes in, for all who do; and what Moira Calder keeps for herself. */
export async function addViews(): Promise<void> {
  const keep = async (name: string, view: object): Promise<void> => {
    const person = await one<{ id: number }>(null, 'SELECT id FROM people WHERE name = $1', [name])
    const actor = { ...COMMAND_LINE, id: person.id, name }
    const { id } = await addView(actor, viewSchema.parse(view))
    if (name === 'Sunniva Dahl') await setFirstView(actor, { list: 'runs', of: null, viewId: id })
  }
  await keep('Sunniva Dahl', {
    list: 'runs',
    title: 'Went wrong last night',
    shared: 'everyone',
    values: {
      state: 'failed,lost',
      when: 'last-night',
      sort: 'ended',
      columns: 'number,state,job,machine,ended,reason',
      beside: 'machine',
    },
  })
  await keep('Moira Calder', { list: 'triggers', title: 'Switched off', shared: 'me', values: { state: 'off' } })
  await keep('Moira Calder', {
    list: 'robots',
    title: 'Robots of the refund desk',
    shared: 'everyone',
    values: { pool: 'desks', columns: 'name,state,since,busy,did' },
  })
}
