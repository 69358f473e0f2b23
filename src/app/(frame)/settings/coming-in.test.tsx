import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { changesOf, choose, No, press, show, type } from '@/ui/screen.test-help'
import { Organisations } from './organisations'
import { Providers } from './providers'
import { SecondFactorRoles } from './second-factor-roles'
import { SecondFactors } from './second-factors'
import { ServiceAccounts } from './service-accounts'

const at = new Date(Date.now() - 60_000).toISOString()
const row = (name: RegExp): HTMLElement => screen.getByRole('row', { name })

describe('a service account', () => {
  const TOKEN = { id: 4, name: 'night host', may: 'see', createdAt: at, expiresAt: at, lastUsedAt: at, revokedAt: null }
  const account = (change: object = {}): object => ({
    id: 11,
    title: 'Freight export',
    notes: '',
    areaId: 5,
    area: 'Freight',
    may: 'operate',
    active: true,
    lastUsedAt: null,
    tokens: [TOKEN],
    ...change,
  })
  const area = { id: 5, title: 'Freight', path: 'Freight', notes: '', parentId: null, closed: false, jobs: 1 }
  const server = {
    'GET /service-accounts': [account()],
    'GET /areas': [{ ...area, may: 'manage' }],
    'POST /service-accounts': { id: 11 },
    'PATCH /service-accounts/11': undefined,
    'POST /service-accounts/11/tokens': { id: 5, token: 'bgt_shown-once' },
    'DELETE /service-accounts/11/tokens/4': undefined,
  }

  it('is made in an area, and its tokens may no more than it', async () => {
    const asked = show(<ServiceAccounts />, server)
    await screen.findByText('Freight export')
    await press('New service account')
    type('What it is for', 'Freight export')
    await choose(/May there/, 'operate')
    await press('Make it')
    // What follows is its tokens.
    const dialog = await screen.findByRole('dialog', { name: 'Tokens of Freight export' })
    type('Where it is used', 'backup host')
    await press(/It may/)
    expect(screen.getAllByRole('option').map((option) => option.textContent)).toEqual(['read', 'start and stop'])
    fireEvent.click(screen.getByRole('option', { name: 'read' }))
    await press('Make')
    expect(await within(dialog).findByText('bgt_shown-once')).toBeTruthy()
    await press('Revoke')
    await waitFor(() => expect(changesOf(asked)).toHaveLength(3))
    expect(changesOf(asked)).toEqual([
      { what: 'POST /service-accounts', body: { title: 'Freight export', notes: '', areaId: 5, may: 'operate' } },
      { what: 'POST /service-accounts/11/tokens', body: { name: 'backup host', days: 90, may: 'see' } },
      { what: 'DELETE /service-accounts/11/tokens/4', body: undefined },
    ])
  })

  it('is only looked at by whoever does not manage its area', async () => {
    const seen = {
      ...server,
      'GET /service-accounts': [account({ tokens: null })],
      'GET /areas': [{ ...area, may: 'see' }],
    }
    const asked = show(<ServiceAccounts />, seen)
    await screen.findByText('Freight export')
    expect(within(row(/Freight export/)).queryByRole('button')).toBeNull()
    fireEvent.click(screen.getByRole('switch'))
    await press('New service account')
    expect(screen.queryByRole('dialog')).toBeNull()
    expect(changesOf(asked)).toEqual([])
  })
})

describe('sign-in elsewhere', () => {
  const provider = {
    id: 3,
    title: 'the harbour office',
    issuer: 'https://sign-in.example',
    clientId: 'bugle',
    hasSecret: true,
    claim: 'groups',
    rules: [{ value: 'night', groupId: 2 }],
    makesPeople: true,
    role: 'viewer',
    active: true,
    people: 1,
    changedBy: 'Ines',
    changedAt: at,
  }
  const server = { 'GET /providers': [provider], 'GET /groups': [{ id: 2, title: 'Night desk' }] }

  it('is changed with its rules, and keeps its secret where none is written', async () => {
    const asked = show(<Providers />, { ...server, 'PUT /providers/3': undefined })
    await press('Change the harbour office')
    await screen.findByRole('dialog')
    await press('Add a rule')
    type('Value of rule 2', 'masters')
    await choose(/What rule 2 gives/, 'role operator')
    await press('Save')
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    const { id: _, hasSecret: _h, people: _p, changedBy: _b, changedAt: _a, ...content } = provider
    expect(changesOf(asked)).toEqual([
      {
        what: 'PUT /providers/3',
        body: { ...content, rules: [...content.rules, { value: 'masters', role: 'operator' }] },
      },
    ])
  })

  it('says which rule is wrong, and keeps what was written', async () => {
    show(<Providers />, {
      ...server,
      'POST /providers': new No(400, {
        detail: 'Write the value.',
        errors: [{ path: 'rules[0].value', message: 'Write the value.' }],
      }),
    })
    await press('Add a provider')
    await screen.findByRole('dialog')
    type('Issuer', 'https://sign-in.example')
    await press('Add a rule')
    await press('Save')
    expect(await screen.findByText('rules[0].value: Write the value.')).toBeTruthy()
    expect(screen.getByRole<HTMLInputElement>('textbox', { name: 'Issuer' }).value).toBe('https://sign-in.example')
  })
})

describe('a second factor', () => {
  it('is asked of roles, each by itself', async () => {
    const asked = show(<SecondFactorRoles />, {
      'GET /second-factor': { roles: ['administrator'] },
      'PUT /second-factor': undefined,
    })
    fireEvent.click(await screen.findByRole('checkbox', { name: 'designer' }))
    fireEvent.click(screen.getByRole('checkbox', { name: 'administrator' }))
    await waitFor(() => expect(changesOf(asked)).toHaveLength(2))
    expect(changesOf(asked).map(({ body }) => body)).toEqual([{ roles: ['administrator', 'designer'] }, { roles: [] }])
  })

  it('is set up by the first code, with codes on paper; the last one is removed with a word about it', async () => {
    const factor = { id: 7, kind: 'app', title: 'Phone', madeAt: at, lastUsedAt: null }
    const asked = show(<SecondFactors />, {
      'GET /me/second-factors': { isAsked: true, factors: [factor], recoveryLeft: 9 },
      'POST /me/second-factors/begin': {
        ticket: 'bge_x',
        app: { secret: 'ABCD', uri: 'otpauth://totp/x' },
        passkey: null,
      },
      'POST /me/second-factors': { recoveryCodes: ['aaaa-bbbb-cccc-dddd'] },
      'DELETE /me/second-factors/7': new No(409, { detail: 'Your role asks for a second factor.' }),
    })
    expect(await screen.findByText('9 codes on paper still good.')).toBeTruthy()
    await press('Add one')
    await screen.findByText('ABCD')
    // Pages without a name of their own offer no passkey.
    expect(screen.queryByRole('button', { name: 'A passkey' })).toBeNull()
    type('The code that it shows now', '123456')
    await press('Take it')
    expect(await screen.findByText('aaaa-bbbb-cccc-dddd')).toBeTruthy()
    await press('I have kept them')
    expect(changesOf(asked).at(-1)?.body).toEqual({ ticket: 'bge_x', title: 'Phone', code: '123456' })
    await press('Remove')
    expect(await screen.findByText(/your password alone lets you in/)).toBeTruthy()
    await press('Remove it')
    expect(await screen.findByText('Your role asks for a second factor.')).toBeTruthy()
  })
})

describe('organisations', () => {
  const organisation = (id: number, title: string, change: object = {}): object => ({
    id,
    title,
    active: true,
    madeBy: 'Ines',
    madeAt: at,
    people: 3,
    isOwn: id === 1,
    ...change,
  })
  const server = {
    'GET /organisations': [organisation(1, 'Ferries'), organisation(2, 'Yard'), organisation(3, 'New', { people: 0 })],
    'GET /server/audit': [{ at, by: 'Ines', action: 'made', title: 'Yard' }],
    'GET /server/administrators': [{ personId: 1, organisationId: 1, name: 'Ines', organisation: 'Ferries' }],
    'GET /people': [{ id: 1, name: 'Ines', role: 'administrator', active: true }],
    'POST /organisations/3/code': { code: 'first3_abc' },
    'PATCH /organisations/2': undefined,
  }

  it('are switched off after a word about it, and one’s own never', async () => {
    const asked = show(<Organisations />, server, { role: 'administrator' })
    await screen.findByRole('button', { name: 'Rename Ferries' })
    expect(screen.queryByRole('button', { name: 'Switch Ferries off' })).toBeNull()
    await press('Switch Yard off')
    expect(await screen.findByText(/Its people are signed out, its agents are not let in/)).toBeTruthy()
    await press('Switch it off')
    await waitFor(() => expect(changesOf(asked)).toEqual([{ what: 'PATCH /organisations/2', body: { active: false } }]))
  })

  it('get a code only while nobody is there; the last who looks after the server stays', async () => {
    show(<Organisations />, server, { role: 'administrator' })
    await screen.findByRole('button', { name: 'Rename Ferries' })
    expect(screen.queryByRole('button', { name: 'Code for Yard' })).toBeNull()
    await press('Code for New')
    expect(await screen.findByText(/\/sign-in#first3_abc$/)).toBeTruthy()
    expect(await screen.findByRole('button', { name: 'Take off' })).toHaveProperty('disabled', true)
  })
})
