import { viewSchema, type ViewContent } from '@/core/views/view'
import type { Actor } from '@/service/base/actor'
import { seenBy } from '@/service/base/actor'
import { listAudit } from '@/service/base/audit'
import { addPerson } from '@/service/people/people'
import { addQueue, queueSchema } from '@/service/queues/queues'
import { exportBundle } from '@/service/exchange/bundle-out'
import { importBundle } from '@/service/exchange/bundle-in'
import { makeJob } from '@/service/fixtures.test-help'
import { addArea } from '@/service/work/areas'
import { actor, ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, one } from '@/store/db'
import { addView, listViews, oneView, removeView, saveView, setFirstView, viewIfSeen, type ViewRow } from './views'

freshDatabase()

let moira: Actor
let petra: Actor
let admin: Actor
let sailing: number
beforeAll(async () => {
  const person = async (name: string, role: 'operator' | 'viewer' | 'administrator'): Promise<Actor> => {
    const email = `${name}@marram.example`
    const { id } = await addPerson(ADMIN, { email, name, role, password: 'a long enough password' })
    return actor(role, { id, name })
  }
  moira = await person('Moira', 'operator')
  petra = await person('Petra', 'viewer')
  admin = await person('Ines', 'administrator')
  sailing = (await addArea(ADMIN, { title: 'Sailing' })).id
})

const view = (change: object = {}): ViewContent =>
  viewSchema.parse({
    list: 'runs',
    title: 'Failed last night',
    values: { state: 'failed', when: 'last-night' },
    ...change,
  })
const titles = async (who: Actor, list = 'runs'): Promise<string[]> =>
  (await listViews(who, { list: list as 'runs' })).views.map(({ title }) => title)
const save = (who: Actor, { id, version, ...row }: ViewRow, change: object): Promise<unknown> => {
  const { list, of, title, values, shared, areaId } = row
  return saveView(who, id, { list, of, title, values: { ...values }, shared, areaId, version, ...change })
}

it('is its owner’s until it is shared; then all who may see its list find it, and only its owner and administrators change it', async () => {
  const { id } = await addView(moira, view())
  expect(await titles(moira)).toEqual(['Failed last night'])
  expect(await titles(petra)).toEqual([])
  await expect(oneView(petra, id)).rejects.toMatchObject({ code: 'not-found' })
  expect(await viewIfSeen(petra, id)).toBeNull()
  expect(await viewIfSeen(moira, id)).toMatchObject({ id })
  expect(await titles(admin)).toEqual([])
  await save(moira, await oneView(moira, id), { shared: 'everyone' })
  const [seen] = (await listViews(petra, { list: 'runs' })).views
  expect(seen).toMatchObject({ madeBy: 'Moira', isMine: false, mayChange: false, version: 2 })
  await expect(save(petra, seen as ViewRow, { title: 'Mine' })).rejects.toMatchObject({ code: 'not-allowed' })
  await expect(removeView(petra, id)).rejects.toMatchObject({ code: 'not-allowed' })
  await save(admin, await oneView(admin, id), { title: 'What failed' })
  expect(await titles(moira)).toEqual(['What failed'])
  expect(await titles(moira, 'agents')).toEqual([])
  const said = (await listAudit(ADMIN, {}))
    .filter(({ objectType }) => objectType === 'view')
    .map(({ action }) => action)
  expect(said).toEqual(['changed', 'changed'])
  await removeView(moira, id)
  await expect(removeView(moira, id)).rejects.toMatchObject({ code: 'not-found' })
})

it('takes the right to operate to be put before others', async () => {
  await expect(addView(petra, view({ shared: 'everyone' }))).rejects.toMatchObject({ code: 'not-allowed' })
  await expect(addView(petra, view({ shared: 'area', areaId: sailing }))).rejects.toMatchObject({ code: 'not-allowed' })
  await expect(addView(moira, view({ shared: 'area', areaId: 999 }))).rejects.toMatchObject({
    errors: [{ path: 'areaId' }],
  })
  await expect(addView(ADMIN, view())).rejects.toMatchObject({ code: 'not-allowed' })
  const { id } = await addView(petra, view({ title: 'Petra’s own' }))
  expect(await titles(petra)).toEqual(['Petra’s own'])
  await removeView(petra, id)
})

it('of an area’s people is found by whoever sees the area', async () => {
  const { id } = await addView(moira, view({ title: 'Sailing’s', shared: 'area', areaId: sailing }))
  expect(await titles(petra)).toEqual(['Sailing’s'])
  await execute(null, 'UPDATE areas SET closed = true WHERE id = $1', [sailing])
  const walled: Actor = { ...petra, areas: { isWalled: true, granted: 'none', atMost: 'manage' } }
  expect(await seenBy(walled, () => titles(walled))).toEqual([])
  await expect(setFirstView(walled, { list: 'runs', of: null, viewId: id })).rejects.toMatchObject({
    code: 'not-found',
  })
  await execute(null, 'UPDATE areas SET closed = false WHERE id = $1', [sailing])
  await removeView(moira, id)
})

it('saved by two at once: the second is told, and loses nothing', async () => {
  const { id } = await addView(moira, view())
  const read = await oneView(moira, id)
  await save(moira, read, { values: { state: 'lost' } })
  await expect(save(moira, read, { title: 'Another' })).rejects.toMatchObject({
    code: 'conflict',
    extra: { theirs: { values: { state: 'lost' } } },
  })
  await expect(save(moira, await oneView(moira, id), { list: 'agents', values: {} })).rejects.toMatchObject({
    errors: [{ path: 'list' }],
  })
  await removeView(moira, id)
})

it('opens first for who wants it, for nobody else, and no more when it is gone', async () => {
  const { id } = await addView(moira, view({ shared: 'everyone' }))
  await setFirstView(petra, { list: 'runs', of: null, viewId: id })
  expect((await listViews(petra, { list: 'runs' })).first).toBe(id)
  expect((await listViews(moira, { list: 'runs' })).first).toBeNull()
  await expect(setFirstView(petra, { list: 'agents', of: null, viewId: id })).rejects.toMatchObject({
    errors: [{ path: 'viewId' }],
  })
  // Not shared any more: whoever cannot see it does not open with it.
  await save(moira, await oneView(moira, id), { shared: 'me' })
  expect((await listViews(petra, { list: 'runs' })).first).toBeNull()
  await save(moira, await oneView(moira, id), { shared: 'everyone' })
  await setFirstView(petra, { list: 'runs', of: null, viewId: null })
  expect((await listViews(petra, { list: 'runs' })).first).toBeNull()
  await removeView(moira, id)
})

it('whose owner goes is kept: what was shared stays so, the rest administrators see', async () => {
  const { id: gone } = await addPerson(ADMIN, {
    email: 'gone@marram.example',
    name: 'Gone',
    role: 'operator',
    password: 'a long enough password',
  })
  const owner = actor('operator', { id: gone, name: 'Gone' })
  const shared = await addView(owner, view({ title: 'Shared', shared: 'everyone' }))
  const own = await addView(owner, view({ title: 'Own' }))
  expect(await titles(admin)).toEqual(['Shared'])
  // People who leave are mostly switched off; the record keeps them.
  await execute(null, 'UPDATE people SET active = false WHERE id = $1', [gone])
  expect(await titles(admin)).toEqual(['Own', 'Shared'])
  await execute(null, 'DELETE FROM people WHERE id = $1', [gone])
  expect(await titles(petra)).toEqual(['Shared'])
  expect(await titles(admin)).toEqual(['Own', 'Shared'])
  await removeView(admin, shared.id)
  await removeView(admin, own.id)
})

it('of items belongs to one queue', async () => {
  const { id: of } = await addQueue(ADMIN, queueSchema.parse({ title: 'Berths', areaId: sailing }))
  await expect(addView(moira, view({ list: 'items', of: 999, values: {} }))).rejects.toMatchObject({
    errors: [{ path: 'of' }],
  })
  const { id } = await addView(moira, view({ list: 'items', of, values: { state: 'rejected', columns: 'port' } }))
  expect((await listViews(moira, { list: 'items', of })).views).toMatchObject([{ id, of }])
  expect((await listViews(moira, { list: 'items', of: of + 1 })).views).toEqual([])
})

describe('in a bundle', () => {
  it('stand the views that others see, with names in place of numbers, and come back the same', async () => {
    const job = await makeJob({})
    const shared = view({
      title: 'Till files',
      shared: 'area',
      areaId: sailing,
      values: { state: 'failed', job: `${job},999`, person: String(moira.id), columns: 'number,job' },
    })
    const { id } = await addView(moira, shared)
    const own = await addView(moira, view({ title: 'Own' }))
    const file = await exportBundle(ADMIN)
    const { slug } = await one<{ slug: string }>(null, 'SELECT slug FROM jobs WHERE id = $1', [job])
    expect(file.views).toEqual([
      {
        id: 'till-files',
        title: 'Till files',
        list: 'runs',
        area: 'Sailing',
        // What is not there shows nothing.
        values: { state: 'failed', job: [slug], person: ['moira@marram.example'], columns: 'number,job' },
      },
    ])
    const bring = async (views: object): Promise<object[]> =>
      (await importBundle(ADMIN, { ...file, views }, false)).lines.filter(({ kind }) => kind === 'view')
    expect(await bring(file.views ?? [])).toEqual([{ kind: 'view', id: 'till-files', what: 'changed' }])
    expect(await bring(file.views ?? [])).toEqual([{ kind: 'view', id: 'till-files', what: 'same' }])
    expect((await oneView(moira, id)).values).toMatchObject({ job: String(job), person: String(moira.id) })
    const everybody = { id: 'all-lost', title: 'All lost', list: 'runs', values: { state: 'lost' } }
    expect(await bring([everybody])).toEqual([{ kind: 'view', id: 'all-lost', what: 'added' }])
    expect(await titles(petra)).toContain('All lost')
    for (const each of [own.id, id]) await removeView(moira, each)
  })

  it.each([
    [{ values: { agent: ['nowhere'] } }, 'views[0].values.agent', 'There is no agent nowhere here.'],
    [{ values: { person: ['who@marram.example'] } }, 'views[0].values.person', 'There is nobody with the address'],
    [{ values: { state: ['failed'] } }, 'views[0].values.state', 'It names nothing'],
    [{ values: { colour: 'red' } }, 'views[0].values.colour', 'A view of Runs knows'],
    [{ list: 'items', queue: 'gone', values: {} }, 'views[0].queue', 'There is no queue gone here.'],
    [{ list: 'birds' }, 'views[0].list', ''],
  ])('what does not fit is told at its place: %j', async (change, path, message) => {
    const views = [{ id: 'x', list: 'runs', values: {}, ...change }]
    const bring = importBundle(ADMIN, { format: 'bugle-bundle/1', views }, false)
    await expect(bring).rejects.toMatchObject({
      errors: [{ path, message: expect.stringContaining(message) as string }],
    })
  })
})
