import { fireEvent, screen, waitFor } from '@testing-library/react'
import { jobSchema } from '@/core/work/job'
import type { JobFull } from '@/service/work/work'
import type { SharedValueRow } from '@/service/work/shared-values'
import { changesOf, choose, No, press, show, type } from '@/ui/screen.test-help'
import { contentOf, JobEditor } from '../jobs/job-editor'
import { StartDialog } from '@/app/shared/work/start-dialog'
import { SharedScreen } from './shared-screen'

const value = (change: Partial<SharedValueRow>): SharedValueRow => ({
  id: 3,
  name: 'harbour-office',
  title: 'Address of the harbour office',
  isSecret: false,
  value: 'harbour.office@marram.example',
  changedBy: 'Ines Aldaya',
  changedAt: '2027-03-01T10:00:00Z',
  uses: [],
  ...change,
})
const OFFICE = value({ uses: [{ id: 40, title: 'Word to the office', isFlow: false }] })
const KEY = value({ id: 4, name: 'booking-key', title: 'Key of the bookings', isSecret: true, value: null })
const SERVER = {
  'GET /shared-values': [OFFICE, KEY],
  'POST /shared-values': { id: 5 },
  'PUT /shared-values/3': undefined,
  'PUT /shared-values/4': undefined,
  'DELETE /shared-values/4': undefined,
}
const open = (more: object = {}, role: 'administrator' | 'designer' = 'administrator') =>
  show(<SharedScreen />, { ...SERVER, ...more }, { role })
const put = (label: string, text: string): void =>
  void fireEvent.change(screen.getByLabelText(label), { target: { value: text } })
const closed = (): Promise<void> => waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())

describe('shared values', () => {
  it('say what they are and lead to what takes them; of a secret only that it is one', async () => {
    open()
    const link = await screen.findByRole('link', { name: 'Word to the office' })
    expect(link.getAttribute('href')).toBe('/work/jobs/40')
    expect(screen.getByText('Key of the bookings').closest('tr')?.textContent).toContain('secret, never shown')
  })

  it('are added, changed and removed; an empty secret leaves the one that is there', async () => {
    const asked = open()
    await press('New shared value')
    await screen.findByRole('dialog')
    type('Name', 'till-folder')
    type('Title', 'Where till files lie')
    put('Value', '/srv/till')
    await press('Add')
    await closed()
    await press('Change Key of the bookings')
    await screen.findByRole('dialog')
    type('Title', 'Booking key')
    await press('Save')
    await closed()
    await press('Remove Key of the bookings')
    await waitFor(() => expect(changesOf(asked)).toHaveLength(3))
    expect(changesOf(asked)).toEqual([
      {
        what: 'POST /shared-values',
        body: { name: 'till-folder', title: 'Where till files lie', isSecret: false, value: '/srv/till' },
      },
      { what: 'PUT /shared-values/4', body: { title: 'Booking key' } },
      { what: 'DELETE /shared-values/4', body: undefined },
    ])
  })

  it('show at the field what does not fit what takes them', async () => {
    const fault = { path: 'value', message: 'Word to the office takes it, and “x” is not a mail address.' }
    open({ 'PUT /shared-values/3': new No(400, { detail: fault.message, errors: [fault] }) })
    await press('Change Address of the harbour office')
    await screen.findByRole('dialog')
    put('Value', 'x')
    await press('Save')
    expect(await screen.findByText(fault.message)).toBeTruthy()
  })

  it('leave secrets to administrators', async () => {
    const asked = open({}, 'designer')
    await press('Remove Key of the bookings')
    await press('New shared value')
    await screen.findByRole('dialog')
    expect(screen.queryByRole('checkbox', { name: 'a secret' })).toBeNull()
    expect(changesOf(asked)).toEqual([])
  })
})

describe('an input', () => {
  const job = (inputs: object[]): JobFull =>
    ({
      ...jobSchema.parse({
        title: 'Mail',
        areaId: 1,
        definition: { action: { kind: 'command', command: 'mail' }, target: { pool: 'quay' }, inputs },
      }),
      id: 41,
      slug: 'mail',
      version: 2,
      usualMs: null,
      savedBy: 'Moira Calder',
    }) as unknown as JobFull
  const edit = (inputs: object[]) => {
    const full = job(inputs)
    return show(<JobEditor job={full} initial={contentOf(full)} />, {
      ...SERVER,
      'GET /areas': [{ id: 1, title: 'Sailing', notes: '', jobs: 1 }],
      'GET /pools': [],
      'GET /agents': [],
      'GET /accounts': [],
      'GET /locks': [],
      'GET /calendars': [{ id: 1, slug: 'bank-days', title: 'Bank days' }],
      'PUT /jobs/41': { version: 3 },
    })
  }
  const savedInputs = (asked: ReturnType<typeof edit>): unknown =>
    (changesOf(asked)[0]?.body as { definition: { inputs: { default: unknown }[] } }).definition.inputs.map(
      (input) => input.default,
    )

  it('takes a shared value, or who starts it, as its default', async () => {
    const asked = edit([
      { name: 'to', type: 'text', default: 'desk@marram.example' },
      { name: 'by', type: 'text' },
    ])
    await choose('this value by default', 'a shared value')
    await choose('nothing by default', 'name of its starter')
    await press('Save')
    await waitFor(() => expect(changesOf(asked)).toHaveLength(1))
    expect(savedInputs(asked)).toEqual([{ shared: 'harbour-office' }, { starter: 'name' }])
  })

  it('that is a day takes one that follows from the run’s own', async () => {
    const asked = edit([
      { name: 'of', type: 'day', default: '2027-03-01' },
      { name: 'until', type: 'day' },
    ])
    await choose('this value by default', 'the day before it')
    await choose('nothing by default', 'the next day of …')
    expect(await screen.findByRole('button', { name: /Bank days/ })).toBeTruthy()
    await press('Save')
    await waitFor(() => expect(changesOf(asked)).toHaveLength(1))
    expect(savedInputs(asked)).toEqual([{ day: 'yesterday' }, { day: 'next', calendar: 'bank-days' }])
  })

  it('that is a secret takes only a shared secret; made one, it loses the default that could be read', async () => {
    const asked = edit([{ name: 'key', type: 'text', default: 'plain' }])
    await choose('text a', 'secret')
    await choose('nothing by default', 'a shared secret')
    await press('Save')
    await waitFor(() => expect(changesOf(asked)).toHaveLength(1))
    expect(savedInputs(asked)).toEqual([{ shared: 'booking-key' }])
  })

  it('is asked for with the default filled in; a shared secret may be left empty', async () => {
    const input = { title: '', options: [], ask: true }
    const asked = show(
      <StartDialog jobId={41} isOpen onClose={() => undefined} />,
      {
        'GET /agents': [],
        'GET /startables/41': {
          id: 41,
          title: 'Mail',
          isFlow: false,
          active: true,
          version: 2,
          usualMs: null,
          target: { pool: 'quay' },
          command: 'mail',
          inputs: [
            { ...input, name: 'by', type: 'text', default: 'Moira Calder' },
            { ...input, name: 'key', type: 'secret', default: { shared: 'booking-key' } },
          ],
        },
        'POST /runs': { id: 900 },
      },
      { role: 'operator' },
    )
    expect(await screen.findByDisplayValue('Moira Calder')).toBeTruthy()
    expect(screen.getByText('Leave it empty to use the shared secret booking-key.')).toBeTruthy()
    await press('Start now')
    await waitFor(() => expect(changesOf(asked)).toHaveLength(1))
    expect((changesOf(asked)[0]?.body as { inputs: object }).inputs).toEqual({ by: 'Moira Calder' })
  })
})
