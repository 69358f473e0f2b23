import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import type { AreaRow } from '@/service/work/areas'
import { changesOf, choose, No, press, show, type } from '@/ui/screen.test-help'
import { AreaDialog } from './area-dialog'

const area = (id: number, title: string, change: Partial<AreaRow> = {}): AreaRow => ({
  id,
  title,
  path: title,
  notes: '',
  parentId: null,
  closed: false,
  jobs: 0,
  may: 'manage',
  ...change,
})
const AREAS = [area(4, 'Fares'), area(5, 'Sailing'), area(7, 'Refunds', { parentId: 5, path: 'Sailing / Refunds' })]
const MEMBERS = [{ personId: null, groupId: 2, name: 'Night desk', may: 'operate' }]
const SERVER = {
  'GET /areas/5': { ...AREAS[1], version: 3, members: MEMBERS },
  'GET /people': [
    { id: 1, name: 'Wren Halloran', active: true },
    { id: 8, name: 'Somebody gone', active: false },
  ],
  'GET /groups': [{ id: 2, title: 'Night desk' }],
  'POST /areas/5/preview': {
    changes: [
      { person: 'Moira Tennant', before: 'see', after: 'none', areas: ['Sailing', 'Sailing / Refunds'], count: 2 },
      { person: 'Wren Halloran', before: 'none', after: 'design', areas: ['Sailing'], count: 5 },
    ],
    more: 0,
  },
  'PUT /areas/5': { version: 4 },
  'DELETE /areas/5': new No(409, { detail: 'Refunds lies in it. Move or remove that first.' }),
}
const open = (change: object = {}): ReturnType<typeof show> =>
  show(
    <AreaDialog id={5} areas={AREAS} isOpen onClose={() => undefined} />,
    { ...SERVER, ...change },
    { role: 'administrator' },
  )
describe('an area', () => {
  it('says what closing it and a new member change for whom before it is saved', async () => {
    const asked = open()
    expect(await screen.findByText('Night desk')).toBeTruthy()
    expect(screen.queryByRole('status', { name: 'What changes for whom' })).toBeNull()
    fireEvent.click(screen.getByRole('switch'))
    const told = await screen.findByRole('status', { name: 'What changes for whom' })
    await within(told).findByText('This changes what 2 people may:')
    expect(
      within(told)
        .getAllByRole('listitem')
        .map((line) => line.textContent),
    ).toEqual([
      'Moira Tennant: see → none on Sailing, Sailing / Refunds',
      'Wren Halloran: none → design on Sailing and 4 more',
    ])
    await choose(/Add a member/, 'Wren Halloran')
    await choose(/What Wren Halloran may/, /design/)
    await press('Save')
    await waitFor(() =>
      expect(changesOf(asked).filter(({ what }) => what.startsWith('PUT'))).toEqual([
        {
          what: 'PUT /areas/5',
          body: {
            title: 'Sailing',
            notes: '',
            parentId: null,
            closed: true,
            version: 3,
            members: [
              { groupId: 2, may: 'operate' },
              { personId: 1, may: 'design' },
            ],
          },
        },
      ]),
    )
  })

  it('offers no place within itself, and nobody who is switched off or there already', async () => {
    open()
    fireEvent.click(await screen.findByRole('button', { name: /It lies/ }))
    const places = await within(await screen.findByRole('listbox')).findAllByRole('option')
    expect(places.map((each) => each.textContent)).toEqual(['in none: outermost', 'Fares'])
    fireEvent.click(places[1] as HTMLElement)
    fireEvent.click(await screen.findByRole('button', { name: /Add a member/ }))
    const people = await within(await screen.findByRole('listbox')).findAllByRole('option')
    expect(people.map((each) => each.textContent)).toEqual(['Wren Halloran'])
  })

  it('keeps what was written when it is refused', async () => {
    open({ 'PUT /areas/5': new No(409, { detail: 'Somebody changed this area in the meantime.' }) })
    await screen.findByText('Night desk')
    type('Title', 'Sailings')
    await press('Save')
    expect(await screen.findByText('Somebody changed this area in the meantime.')).toBeTruthy()
    expect(screen.getByRole<HTMLInputElement>('textbox', { name: 'Title' }).value).toBe('Sailings')
  })

  it('is only called otherwise by whoever may design, and not manage', async () => {
    open({ 'GET /areas/5': { ...AREAS[1], may: 'design', version: 3, members: MEMBERS } })
    await screen.findByText('Night desk')
    expect(screen.queryByRole('button', { name: 'Remove' })).toBeNull()
    expect(screen.queryByRole('button', { name: /Add a member/ })).toBeNull()
    expect(screen.getByText('You may design here.')).toBeTruthy()
  })
})
