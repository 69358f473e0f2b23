import { fireEvent, screen, waitFor } from '@testing-library/react'
import { jobDefinitionSchema, type JobContent } from '@/core/work/job'
import type { JobFull } from '@/service/work/work'
import { changesOf, choose, No, press, show, type, type Asked } from '@/ui/screen.test-help'
import { expectKept } from '@/ui/typed.test-help'
import { contentOf, JobEditor } from './job-editor'

const definition = (change: object = {}): JobContent['definition'] =>
  jobDefinitionSchema.parse({ action: { kind: 'wait', minutes: 2 }, target: { pool: 'quay' }, ...change })
const job = (change: object = {}): JobFull =>
  ({
    id: 5,
    slug: 'till-file',
    title: 'Till file',
    notes: '',
    areaId: 4,
    active: true,
    version: 2,
    savedBy: 'Ines Aldaya',
    usualMs: null,
    definition: definition(change),
  }) as unknown as JobFull
const SERVER = {
  'GET /areas': [
    { id: 4, title: 'Close of day', path: 'Close of day', may: 'manage' },
    { id: 6, title: 'Sailing', path: 'Sailing', may: 'design' },
    { id: 7, title: 'Refunds', path: 'Refunds', may: 'see' },
  ],
  'GET /pools': [
    { id: 1, name: 'quay' },
    { id: 2, name: 'data' },
  ],
  'GET /agents': [
    { id: 1, name: 'kelda-app1', pools: [{ name: 'quay' }], labels: { os: 'linux' } },
    { id: 2, name: 'kelda-desk1', pools: [], labels: { os: 'windows' } },
  ],
  'GET /systems/choices': [],
  'PUT /jobs/5': { version: 3 },
  'POST /jobs': { id: 9 },
}
function edit(one: JobFull | null, more: object = {}, role: 'designer' | 'operator' = 'designer'): Asked[] {
  const empty: JobContent = { title: '', notes: '', areaId: 0, active: true, definition: definition() }
  return show(<JobEditor job={one} initial={one ? contentOf(one) : empty} />, { ...SERVER, ...more }, { role })
}
async function saved(asked: Asked[]): Promise<JobContent & { version: number }> {
  await press('Save')
  await waitFor(() => expect(changesOf(asked)).toHaveLength(1))
  return changesOf(asked)[0]?.body as JobContent & { version: number }
}

describe('a job, written in sentences', () => {
  it('an older version is brought back into the form, and counts once it is saved', async () => {
    const asked = edit(job(), {
      'GET /jobs/5/versions': [
        {
          version: 2,
          savedBy: 'Ines Aldaya',
          savedAt: '2027-03-08T12:00:00Z',
          says: ['The minutes to wait was 7 and is 2.'],
        },
        { version: 1, savedBy: null, savedAt: null, says: null },
      ],
      'GET /jobs/5/versions/1': { definition: { ...definition(), action: { kind: 'wait', minutes: 7 } }, since: [] },
    })
    await press('Versions')
    expect(await screen.findByText('The minutes to wait was 7 and is 2.')).toBeTruthy()
    expect(screen.getByText('in force')).toBeTruthy()
    await press('Bring it back')
    expect(await screen.findByText(/Version 1 stands in the form/)).toBeTruthy()
    expect(changesOf(asked)).toEqual([])
    expect(await saved(asked)).toMatchObject({ version: 2, definition: { action: { kind: 'wait', minutes: 7 } } })
  })

  it('says where it goes, and which agents fit', async () => {
    const asked = edit(job())
    expect(await screen.findByText('1 agent fits: kelda-app1')).toBeTruthy()
    await choose(/Kind of target/, 'any agent with labels')
    type('Labels, as key=value', 'os=windows')
    expect(await screen.findByText('1 agent fits: kelda-desk1')).toBeTruthy()
    type('Labels, as key=value', 'os=windows, site=nowhere')
    expect(await screen.findByText('No agent fits yet: runs would wait.')).toBeTruthy()
    type('Slots', '2')
    await choose(/^normal Priority|Priority/, 'high')
    expect((await saved(asked)).definition).toMatchObject({
      target: { labels: { os: 'windows', site: 'nowhere' } },
      slots: 2,
      priority: 'high',
    })
  })

  it('takes address, account and pool from the system that it is done on, and asks for none of them', async () => {
    const action = { kind: 'sql', host: 'old', database: 'old', statement: 'SELECT 1' }
    const system = {
      id: 3,
      slug: 'fares',
      title: 'Fares',
      kind: 'database',
      host: 'db9',
      port: 5433,
      database: 'fares',
    }
    const asked = edit(job({ action, account: 'someone' }), {
      'GET /systems/choices': [
        { ...system, tls: true, hostKey: null, account: 'reader', pool: 'data' },
        { ...system, id: 4, slug: 'sign', title: 'Sign', kind: 'host' },
      ],
    })
    expect(screen.getByRole('textbox', { name: 'host' })).toBeTruthy()
    await press(/System/)
    // What such a job cannot be done on is not to be chosen.
    expect(screen.queryByRole('option', { name: 'Sign' })).toBeNull()
    fireEvent.click(await screen.findByRole('option', { name: 'Fares' }))
    expect(await screen.findByText('On any agent of the pool data, which reaches Fares,')).toBeTruthy()
    expect(screen.getByText('Signing in as reader, as Fares says.')).toBeTruthy()
    expect(screen.queryByRole('textbox', { name: /^(host|port|database)$/ })).toBeNull()
    expect((await saved(asked)).definition).toMatchObject({
      system: 'fares',
      action: { host: 'db9', port: 5433, database: 'fares', tls: true, statement: 'SELECT 1' },
      account: 'reader',
      target: { pool: 'data' },
    })
  })

  it('takes inputs, retries, limits and success, and sends the version that was read', async () => {
    const asked = edit(job())
    await press('Add an input')
    type('name', 'harbour')
    type('shown as', 'Harbour')
    type('Retries', '3')
    type('Delay in seconds', '90')
    type('Exit codes, comma between', '0, 4')
    const body = await saved(asked)
    expect(body.version).toBe(2)
    expect(body.definition).toMatchObject({
      inputs: [{ name: 'harbour', title: 'Harbour', type: 'text', ask: true }],
      retries: 3,
      retryDelaySeconds: 90,
      success: { exitCodes: [0, 4] },
    })
  })

  it('waits for minutes, or for a number that is asked for', async () => {
    const asked = edit(job())
    type('Minutes', '${length}')
    await press('Save')
    expect(await screen.findByText('No number input is called length.')).toBeTruthy()
    type('Minutes', '0.5')
    expect((await saved(asked)).definition.action).toEqual({ kind: 'wait', minutes: 0.5 })
  })

  it('names every field that is not right, and saves nothing', async () => {
    const asked = edit(job())
    type('Title', '')
    type('Slots', 'many')
    type('Retries', '99')
    type('environment, one NAME=value a line', 'GOOD=1\nnot so good')
    expect(await screen.findByText('“not so good” is not NAME=value.')).toBeTruthy()
    await press('Save')
    expect(await screen.findByText('4 things are not right yet.')).toBeTruthy()
    expect(screen.getByText('A job needs a title.')).toBeTruthy()
    expect(screen.getByText('Retries are 0 to 50.')).toBeTruthy()
    expect(changesOf(asked)).toEqual([])
  })

  it('opens once it is made', async () => {
    const asked = edit(null)
    type('Title', 'Night watch')
    await screen.findByText('1 agent fits: kelda-app1')
    // Only where work may be made by this person.
    fireEvent.click(await screen.findByRole('button', { name: /in area/ }))
    expect(await screen.findByRole('option', { name: 'Close of day' })).toBeTruthy()
    expect(screen.queryByRole('option', { name: 'Refunds' })).toBeNull()
    fireEvent.click(screen.getByRole('option', { name: 'Sailing' }))
    expect(await saved(asked)).toMatchObject({ title: 'Night watch', areaId: 6, active: true })
    await waitFor(() => expect(window.location.pathname).toBe('/work/jobs/9'))
  })

  it('is kept when the save is refused, and shows why at its field', async () => {
    edit(job(), {
      'PUT /jobs/5': new No(400, {
        detail: 'No.',
        errors: [{ path: 'title', message: 'Another job of this area is called that.' }],
      }),
    })
    type('Title', 'Reconcile')
    await press('Save')
    expect(await screen.findByText('Another job of this area is called that.')).toBeTruthy()
    expect((screen.getByRole('textbox', { name: 'Title' }) as HTMLInputElement).value).toBe('Reconcile')
  })

  it('takes what somebody else saved meanwhile, if that is wanted', async () => {
    const theirs = {
      ...job({ retries: 7, environment: { LANG: 'C' }, target: { labels: { os: 'linux' } } }),
      version: 4,
      savedBy: 'Torvald Brekke',
    }
    edit(job(), {
      'PUT /jobs/5': new No(409, { type: 'urn:bugle:problem:conflict', detail: 'Saved meanwhile.', theirs }),
    })
    type('Retries', '2')
    await press('Save')
    expect((await screen.findByRole('alert')).textContent).toMatch(/Torvald Brekke saved this job.*retries/)
    await press('Take theirs, drop mine')
    const shown = (name: string): string => (screen.getByRole('textbox', { name }) as HTMLInputElement).value
    expect(shown('Retries')).toBe('7')
    expect(shown('environment, one NAME=value a line')).toBe('LANG=C')
    expect(shown('Labels, as key=value')).toBe('os=linux')
    expect(screen.getByRole('button', { name: 'Save' }).hasAttribute('disabled')).toBe(true)
  })

  it('is removed after a question', async () => {
    const asked = edit(job(), { 'DELETE /jobs/5': undefined })
    await press('Remove')
    expect(changesOf(asked)).toEqual([])
    await press('Remove it')
    await waitFor(() => expect(window.location.pathname).toBe('/work'))
    expect(changesOf(asked)).toEqual([{ what: 'DELETE /jobs/5', body: undefined }])
  })

  it('may be read by an operator, who is told why it cannot be changed', async () => {
    const asked = edit(job(), {}, 'operator')
    expect(await screen.findByText('Your role may not change work; it takes a designer.')).toBeTruthy()
    fireEvent.click(screen.getByRole('button', { name: 'Save' }))
    expect(changesOf(asked)).toEqual([])
  })
})

describe('whatever is typed into a job', () => {
  const input = { name: 'port', title: 'Port', type: 'choice', options: ['north', 'a, b'], default: null, ask: true }
  const mail = {
    kind: 'mail',
    host: 'mail.example',
    port: 25,
    tls: true,
    from: 'a@b.example',
    to: ['c@d.example'],
    subject: 'x',
    text: 'y',
  }
  const http = {
    kind: 'http',
    method: 'POST',
    url: 'https://app.example/x',
    expect: ['2xx'],
    body: '',
    headers: {},
    pick: {},
  }
  const sql = {
    kind: 'sql',
    host: 'db.example',
    port: 5432,
    database: 'fares',
    tls: true,
    statement: 'SELECT 1',
    parameters: [],
  }
  const typed = new Set<string>()
  it.each<[string, object]>([
    [
      'that is a command',
      { inputs: [input], account: 'files', environment: { A: '1' }, watches: { patterns: ['row'] } },
    ],
    ['that mails', { action: mail, account: null }],
    ['that asks over HTTP', { action: http, target: { labels: { os: 'linux' } }, retries: 3 }],
    ['that asks a database', { action: sql, account: 'files' }],
  ])(
    '%s is saved as it stands there, or refused at its place',
    async (_, change) => {
      const base = { action: { kind: 'command', command: 'true' }, ...change }
      await expectKept<JobContent>(
        (body) => edit(body ? { ...job(base), ...body } : job(base), { 'GET /accounts': [], 'GET /locks': [] }),
        'PUT /jobs/5',
        { seed: 20261130, typed },
      )
    },
    300_000,
  )
})
