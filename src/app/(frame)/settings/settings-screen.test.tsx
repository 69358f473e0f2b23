import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { changesOf, choose, No, press, show, type } from '@/ui/screen.test-help'
import { SettingsScreen } from './settings-screen'

const at = new Date(Date.now() - 60_000).toISOString()
const PEOPLE = [
  {
    id: 1,
    name: 'Ines Aldaya',
    email: 'ines@marram.example',
    role: 'administrator',
    active: true,
    groups: [],
    lastSeenAt: at,
  },
  {
    id: 2,
    name: 'Callum Eads',
    email: 'callum@marram.example',
    role: 'operator',
    active: true,
    groups: ['Night desk'],
    lastSeenAt: null,
  },
]
const server = {
  'GET /people': PEOPLE,
  'GET /invitations': [],
  'GET /groups': [
    { id: 4, title: 'Night desk', notes: 'From 22:00', people: [{ id: 2, name: 'Callum Eads' }], areas: 1 },
  ],
  'GET /people/2/rights': {
    name: 'Callum Eads',
    role: 'operator',
    groups: ['Night desk'],
    areas: [{ id: 7, path: 'Sailing / Refunds', may: 'design', from: ['group Night desk on Sailing'] }],
  },
  'PATCH /people/2': undefined,
  'POST /people/2/hand-on': { matters: 1 },
  'GET /second-factor': { roles: [] },
  'GET /providers': [],
  'GET /service-accounts': [],
  'GET /areas': [],
  'POST /people': { id: 3 },
}

describe('people', () => {
  const people = (role: 'administrator' | 'designer', more = {}) =>
    show(<SettingsScreen />, { ...server, ...more }, { role, at: '/settings?tab=people' })

  it('get another role, or are kept from signing in, and nobody takes over where there is nothing', async () => {
    const asked = people('administrator', { 'GET /people/2/owns': { matters: [] } })
    await choose(/Role of Callum Eads/, 'designer')
    fireEvent.click(screen.getByRole('switch', { name: /Callum Eads may sign in/ }))
    await press('Switch off')
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    expect(changesOf(asked)).toEqual([
      { what: 'PATCH /people/2', body: { role: 'designer' } },
      { what: 'PATCH /people/2', body: { active: false } },
    ])
  })

  it('hand on what they have taken before they are switched off', async () => {
    const asked = people('administrator', { 'GET /people/2/owns': { matters: [{ id: 9, title: 'Till file' }] } })
    fireEvent.click(await screen.findByRole('switch', { name: /Callum Eads may sign in/ }))
    expect(await screen.findByText(/They have taken a matter: Till file/)).toBeTruthy()
    await choose(/Who takes over/, 'Ines Aldaya')
    await press('Switch off')
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    expect(changesOf(asked)).toEqual([
      { what: 'POST /people/2/hand-on', body: { to: 1 } },
      { what: 'PATCH /people/2', body: { active: false } },
    ])
  })

  it('are told why the last administrator stays', async () => {
    people('administrator', {
      'GET /people/1/owns': { matters: [] },
      'PATCH /people/1': new No(409, { detail: 'Ines Aldaya is the only administrator.' }),
    })
    fireEvent.click(await screen.findByRole('switch', { name: /Ines Aldaya may sign in/ }))
    await press('Switch off')
    expect(await screen.findByText('Ines Aldaya is the only administrator.')).toBeTruthy()
  })

  it('are added; what was typed for the one before is not there any more', async () => {
    const asked = people('administrator')
    await press('Add a person')
    await screen.findByRole('dialog')
    type('Name', 'Hallam Reid')
    type('E-mail', 'hallam@marram.example')
    fireEvent.change(screen.getByLabelText('First password'), { target: { value: 'a long first word' } })
    await press('Add')
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    expect(changesOf(asked)).toEqual([
      {
        what: 'POST /people',
        body: { name: 'Hallam Reid', email: 'hallam@marram.example', role: 'viewer', password: 'a long first word' },
      },
    ])
    await press('Add a person')
    expect((await screen.findByLabelText<HTMLInputElement>('First password')).value).toBe('')
  })

  it('are invited by mail; open invitations are written again or withdrawn', async () => {
    const asked = people('administrator', {
      'GET /areas': [{ id: 7, path: 'Sailing / Refunds' }],
      'GET /invitations': [
        {
          id: 3,
          email: 'late@marram.example',
          role: 'viewer',
          areas: [],
          madeBy: 'Ines',
          madeAt: at,
          expiresAt: at,
          isOver: true,
        },
      ],
      'POST /invitations': { id: 4 },
      'POST /invitations/3/renew': undefined,
      'DELETE /invitations/3': undefined,
    })
    await press('Invite')
    await screen.findByRole('dialog')
    type('E-mail', 'hallam@marram.example')
    await choose(/Role/, 'none: only areas')
    await choose(/Member of an area/, 'Sailing / Refunds')
    await choose(/What they may on/, /operate/)
    type('A sentence for them', 'Welcome.')
    await press('Invite')
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    await press('Write to late@marram.example again')
    await press('Withdraw the invitation of late@marram.example')
    await waitFor(() => expect(changesOf(asked)).toHaveLength(3))
    expect(changesOf(asked)).toEqual([
      {
        what: 'POST /invitations',
        body: {
          email: 'hallam@marram.example',
          role: 'none',
          areas: [{ areaId: 7, may: 'operate' }],
          note: 'Welcome.',
        },
      },
      { what: 'POST /invitations/3/renew', body: {} },
      { what: 'DELETE /invitations/3', body: undefined },
    ])
  })

  it('are shown with what they may, and where it comes from', async () => {
    people('administrator')
    await press('What Callum Eads may')
    const dialog = await screen.findByRole('dialog')
    expect(await within(dialog).findByText('group Night desk on Sailing')).toBeTruthy()
    expect(within(dialog).getByRole('link', { name: 'Sailing / Refunds' }).getAttribute('href')).toBe('/work?area=7')
    expect(dialog.textContent).toContain('Role: operator; in Night desk.')
  })

  it('come together in groups, which are made, changed and removed', async () => {
    const asked = people('administrator', {
      'POST /groups': { id: 5 },
      'PUT /groups/4': undefined,
      'DELETE /groups/4': new No(409, { detail: 'It is a member of Refunds. Take it out there first.' }),
    })
    await press('New group')
    await screen.findByRole('dialog')
    type('Title', 'Harbour desk')
    fireEvent.click(screen.getByRole('checkbox', { name: 'Ines Aldaya' }))
    await press('Add')
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    await press('Change Night desk')
    await screen.findByRole('dialog')
    fireEvent.click(screen.getByRole('checkbox', { name: 'Callum Eads' }))
    await press('Save')
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    await press('Remove Night desk')
    await press('Remove it')
    expect(await screen.findByText('It is a member of Refunds. Take it out there first.')).toBeTruthy()
    expect(changesOf(asked)).toEqual([
      { what: 'POST /groups', body: { title: 'Harbour desk', notes: '', people: [1] } },
      { what: 'PUT /groups/4', body: { title: 'Night desk', notes: 'From 22:00', people: [] } },
      { what: 'DELETE /groups/4', body: undefined },
    ])
  })

  it('can be looked at by others, not changed', async () => {
    people('designer')
    const table = await screen.findByRole('table', { name: 'People' })
    const line = (await within(table).findByText('Callum Eads')).closest('tr') as HTMLElement
    expect(line.textContent).toContain('operator')
    expect(
      within(line)
        .getByRole('switch', { name: /it takes an administrator/ })
        .getAttribute('aria-readonly'),
    ).toBe('true')
    expect(screen.queryByRole('tab', { name: 'Audit' })).toBeNull()
  })
})

describe('engines', () => {
  it('say which leads, and which has not been heard of', async () => {
    const engine = {
      host: 'kelda',
      agents: 12,
      gatewayUrl: 'ws://kelda/agent',
      version: '0.1.0',
      startedAt: at,
      lastSeenAt: at,
    }
    show(
      <SettingsScreen />,
      {
        'GET /engines': [
          { ...engine, id: 1, pid: 10, isAlive: true, leads: true },
          { ...engine, id: 2, pid: 11, isAlive: true, leads: false },
          { ...engine, id: 3, pid: 12, isAlive: false, leads: false },
        ],
      },
      { at: '/settings?tab=engines' },
    )
    const state = async (pid: number): Promise<string | undefined> =>
      (await screen.findByText(`kelda, process ${pid}`)).closest('tr')?.querySelectorAll('td')[1]?.textContent
    expect([await state(10), await state(11), await state(12)]).toEqual(['leads', 'stands by', 'not heard of'])
  })
})

describe('the audit', () => {
  const entry = (id: number) => ({
    id,
    at,
    personName: 'Ines Aldaya',
    action: 'changed',
    objectType: 'trigger',
    objectTitle: `T${id}`,
    changes: { priority: { from: 'normal', to: 'high' }, note: 'why' },
    via: 'session',
    address: '10.0.0.1',
  })
  it('says who changed what from what to what, and goes back page by page', async () => {
    const asked = show(
      <SettingsScreen />,
      {
        'GET /audit': ({ query }: { query: Record<string, string> }) =>
          query.before ? [entry(5)] : Array.from({ length: 100 }, (_, i) => entry(200 - i)),
      },
      { role: 'administrator', at: '/settings?tab=audit' },
    )
    const line = (await screen.findByText('changed trigger T200')).closest('tr')
    expect(line?.textContent).toContain('priority normal → high · note why')
    expect(line?.textContent).toContain('session, 10.0.0.1')
    expect(screen.getByRole('button', { name: 'Newer' }).hasAttribute('disabled')).toBe(true)
    await press('Older')
    expect(await screen.findByText('changed trigger T5')).toBeTruthy()
    expect(asked.at(-1)?.query).toEqual({ before: '101' })
    await press('Newer')
    expect(await screen.findByText('changed trigger T200')).toBeTruthy()
    fireEvent.change(screen.getByRole('searchbox', { name: 'Person, action or object' }), { target: { value: 'T9' } })
    await waitFor(() => expect(asked.at(-1)?.query).toEqual({ text: 'T9' }))
  })
})
