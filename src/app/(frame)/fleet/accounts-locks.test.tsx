import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import type { AccountRow } from '@/service/fleet/accounts'
import type { LockRow } from '@/service/fleet/locks'
import { changesOf, No, press, show, type } from '@/ui/screen.test-help'
import { FleetScreen } from './fleet-screen'

const account = (change: Partial<AccountRow> = {}): AccountRow => ({
  id: 3,
  name: 'harbour-files',
  userName: 'svc-transfer',
  notes: 'The harbour’s file server',
  hasSecret: true,
  hosts: ['files.marram.example'],
  plain: false,
  unknownHosts: false,
  areaIds: null,
  everywhere: false,
  agents: [{ id: 7, name: 'kelda-files' }],
  jobs: 2,
  changedBy: 'Ines Aldaya',
  changedAt: '2027-03-01T10:00:00Z',
  rotatedAt: '2027-03-01T10:00:00Z',
  goodUntil: null,
  robots: [],
  ...change,
})
const lock: LockRow = {
  id: 5,
  name: 'fares-db',
  title: 'Fares database',
  units: 2,
  used: 2,
  jobs: 3,
  holders: [{ runId: 900, title: 'Reconcile fares', units: 2 }],
  waiting: 4,
}
const SERVER = {
  'GET /agents': [
    { id: 7, name: 'kelda-files', state: 'connected', labels: {}, pools: [], slots: 4, used: 0, version: '1.0.0' },
    { id: 8, name: 'orrin-ops1', state: 'connected', labels: {}, pools: [], slots: 2, used: 0, version: '1.0.0' },
  ],
  'GET /pools': [],
  'GET /areas': [{ id: 2, title: 'Sailing', path: 'Sailing', notes: '', jobs: 3, may: 'design' }],
  'GET /accounts': [account()],
  'GET /locks': [lock],
  'POST /accounts': { id: 4 },
  'PUT /accounts/3': undefined,
  'DELETE /accounts/3': undefined,
  'POST /locks': { id: 6 },
  'PUT /locks/5': undefined,
  'DELETE /locks/5': undefined,
}
const open = (tab: string, more: object = {}, role: 'administrator' | 'designer' = 'administrator') =>
  show(<FleetScreen />, { ...SERVER, ...more }, { role, at: `/fleet?tab=${tab}` })
const dialog = (): Promise<HTMLElement> => screen.findByRole('dialog')
const put = (label: string, value: string): void =>
  void fireEvent.change(screen.getByLabelText(label), { target: { value } })

describe('accounts', () => {
  it('say who they are, where they are and who uses them, and nothing of their secrets', async () => {
    open('accounts')
    const line = (await screen.findByText('harbour-files')).closest('tr') as HTMLElement
    expect(line.textContent).toMatch(/svc-transfersince .*files\.marram\.examplekelda-files2 jobs/)
  })

  it('are added with a secret that is sent once, on chosen agents', async () => {
    const asked = open('accounts')
    await press('New account')
    await dialog()
    type('Name', 'quay-machine')
    type('User name', 'svc-quay')
    put('Secret', 'fulmar-and-dunlin')
    type('The secret is good until', '2027-03-31')
    type('Signs in at', 'quay.marram.example, *.tarn.example')
    fireEvent.click(screen.getByRole('checkbox', { name: /host key is not written down/ }))
    fireEvent.click(screen.getByRole('checkbox', { name: 'for work of every area' }))
    fireEvent.click(await screen.findByRole('checkbox', { name: 'Sailing' }))
    fireEvent.click(await screen.findByRole('checkbox', { name: 'orrin-ops1' }))
    await press('Add')
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    expect(changesOf(asked)).toEqual([
      {
        what: 'POST /accounts',
        body: {
          name: 'quay-machine',
          userName: 'svc-quay',
          secret: 'fulmar-and-dunlin',
          goodUntil: '2027-03-31T23:59:59Z',
          notes: '',
          hosts: ['quay.marram.example', '*.tarn.example'],
          plain: false,
          unknownHosts: true,
          areaIds: [2],
          everywhere: false,
          agentIds: [8],
        },
      },
    ])
  })

  it('keep their secret when it is left empty, and get another when one is written', async () => {
    const asked = open('accounts')
    await press('Change harbour-files')
    await dialog()
    fireEvent.click(screen.getByRole('checkbox', { name: 'on every agent' }))
    await press('Save')
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    expect(changesOf(asked)[0]?.body).toEqual({
      goodUntil: null,
      userName: 'svc-transfer',
      notes: 'The harbour’s file server',
      hosts: ['files.marram.example'],
      plain: false,
      unknownHosts: false,
      areaIds: null,
      everywhere: true,
      agentIds: [],
    })
    await press('Change harbour-files')
    await dialog()
    put('New secret', 'another')
    await press('Save')
    await waitFor(() => expect(changesOf(asked)[1]?.body).toMatchObject({ secret: 'another', agentIds: [7] }))
  })

  it('tell what does not fit at its field, and why one cannot be removed', async () => {
    open('accounts', {
      'POST /accounts': new No(400, { detail: 'No.', errors: [{ path: 'name', message: 'There is one already.' }] }),
      'DELETE /accounts/3': new No(409, { detail: '2 jobs use it. Give them another first.' }),
    })
    await press('New account')
    await dialog()
    await press('Add')
    expect(await screen.findByText('There is one already.')).toBeTruthy()
    await press('Cancel')
    await press('Remove harbour-files')
    await press('Remove it')
    expect(await screen.findByText('2 jobs use it. Give them another first.')).toBeTruthy()
  })

  it('are not changed by a designer', async () => {
    const asked = open('accounts', {}, 'designer')
    await press('New account')
    await press('Change harbour-files')
    expect(screen.queryByRole('dialog')).toBeNull()
    expect(changesOf(asked)).toEqual([])
  })
})

describe('locks', () => {
  it('say who holds them and how many wait', async () => {
    open('locks')
    const line = (await screen.findByText('Fares database')).closest('tr') as HTMLElement
    expect(line.textContent).toContain('2 of 2Reconcile fares #900 (2)43 jobs')
    expect(
      within(line)
        .getAllByRole('link')
        .map((link) => link.getAttribute('href')),
    ).toEqual(['/runs?lock=fares-db&state=running&steps=yes', '/runs/900', '/runs?lock=fares-db&state=ready&steps=yes'])
  })

  it('are added, changed and removed', async () => {
    const asked = open('locks')
    await press('New lock')
    await dialog()
    type('Name', 'licence')
    type('Title', 'Report licence')
    type('Units', '3')
    await press('Add')
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    await press('Change Fares database')
    await dialog()
    type('Units', '1')
    await press('Save')
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    await press('Remove Fares database')
    expect(changesOf(asked)).toEqual([
      { what: 'POST /locks', body: { name: 'licence', title: 'Report licence', units: 3 } },
      { what: 'PUT /locks/5', body: { title: 'Fares database', units: 1 } },
      { what: 'DELETE /locks/5', body: undefined },
    ])
  })

  it('take no units that are no number', async () => {
    const asked = open('locks', {
      'POST /locks': new No(400, { detail: 'No.', errors: [{ path: 'units', message: 'A number of units.' }] }),
    })
    await press('New lock')
    await dialog()
    type('Units', 'many')
    await press('Add')
    expect(await screen.findByText('A number of units.')).toBeTruthy()
    expect(changesOf(asked)[0]?.body).toMatchObject({ units: 'many' })
  })
})
