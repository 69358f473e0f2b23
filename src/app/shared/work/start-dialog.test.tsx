import { fireEvent, screen, waitFor } from '@testing-library/react'
import { jobDefinitionSchema } from '@/core/work/job'
import type { Startable } from '@/service/runs/start'
import { changesOf, choose, No, press, show, type, type Asked, typeDay } from '@/ui/screen.test-help'
import { StartButton, StartDialog } from './start-dialog'

const { inputs, target } = jobDefinitionSchema.parse({
  action: { kind: 'command', command: 'till --of ${harbour}' },
  target: { pool: 'harbours' },
  inputs: [
    { name: 'harbour', title: 'Harbour', type: 'choice', options: ['Orrin Quay', 'Stavin'], default: 'Stavin' },
    { name: 'copies', title: 'Copies', type: 'number' },
    { name: 'dry', title: 'Only try', type: 'yes-no' },
    { name: 'word', title: 'Password of the till', type: 'secret' },
    { name: 'fixed', type: 'text', default: 'x', ask: false },
  ],
})
const job: Startable = {
  id: 5,
  title: 'Till file',
  isFlow: false,
  version: 2,
  active: true,
  usualMs: 90_000,
  inputs,
  target,
  command: 'till --of ${harbour}',
}
const SERVER = {
  'GET /startables/5': job,
  'GET /agents': [
    { id: 1, name: 'orrin-ops1', state: 'connected' },
    { id: 2, name: 'gone', state: 'revoked' },
  ],
  'POST /runs': { id: 900 },
  'POST /runs/77/again': { id: 901 },
}
async function dialog(more: object = {}, props: object = {}): Promise<Asked[]> {
  const asked = show(
    <StartDialog jobId={5} isOpen onClose={() => undefined} {...props} />,
    { ...SERVER, ...more },
    { role: 'operator' },
  )
  await screen.findByRole('textbox', { name: 'Copies' })
  return asked
}
const word = (): HTMLElement => screen.getByLabelText('Password of the till')

describe('starting a job', () => {
  it('asks for its inputs, starts it once, and goes to the run', async () => {
    const asked = await dialog()
    expect(screen.queryByRole('textbox', { name: 'fixed' })).toBeNull()
    type('Copies', '3')
    fireEvent.click(screen.getByRole('checkbox', { name: 'Only try' }))
    fireEvent.change(word(), { target: { value: 'hunter22' } })
    await choose(/Harbour/, 'Orrin Quay')
    await press('Start now')
    await press('Start now')
    const [sent, ...more] = changesOf(asked)
    expect(more).toEqual([])
    expect(sent).toMatchObject({
      what: 'POST /runs',
      body: {
        jobId: 5,
        inputs: { harbour: 'Orrin Quay', copies: '3', dry: 'yes', word: 'hunter22' },
        at: null,
        target: null,
      },
    })
    await waitFor(() => expect(window.location.pathname).toBe('/runs/900'))
  })

  it('names what does not fit, and starts nothing', async () => {
    const asked = await dialog()
    type('Copies', 'three')
    await press('Start now')
    expect((await screen.findAllByText(/number/)).length).toBeGreaterThan(0)
    expect(changesOf(asked)).toEqual([])
  })

  it('starts at a given time, on a machine', async () => {
    const asked = await dialog()
    type('Copies', '1')
    fireEvent.change(word(), { target: { value: 'w' } })
    await choose(/^When|Now When/, 'At a given time')
    await press('Start then')
    expect(await screen.findByText('Say when.')).toBeTruthy()
    await typeDay(/^Start at/, '2027-07-09T06:30')
    await choose(/As the job says/, 'Only on orrin-ops1 (connected)')
    expect(screen.queryByRole('option', { name: /gone/ })).toBeNull()
    await press('Start then')
    expect(changesOf(asked)[0]?.body).toMatchObject({
      at: '2027-07-09T05:30:00.000Z',
      target: { agent: 'orrin-ops1' },
    })
  })

  it('shows what the server finds wrong at its field, and can be sent again', async () => {
    const asked = await dialog({
      'POST /runs': new No(400, {
        title: 'No',
        detail: 'No.',
        errors: [{ path: 'inputs.copies', message: 'Too many copies.' }],
      }),
    })
    type('Copies', '3')
    fireEvent.change(word(), { target: { value: 'w' } })
    await press('Start now')
    expect(await screen.findByText('Too many copies.')).toBeTruthy()
    await press('Start now')
    const keys = changesOf(asked).map(({ body }) => (body as { requestKey: string }).requestKey)
    // The same request: sent twice it makes one run.
    expect(keys).toEqual([keys[0], keys[0]])
  })

  it('runs again with the inputs of before; a secret is taken over when it is left empty', async () => {
    const asked = await dialog({}, { againOf: { id: 77, inputs: { harbour: 'Orrin Quay', copies: '2', dry: 'yes' } } })
    expect((screen.getByRole('textbox', { name: 'Copies' }) as HTMLInputElement).value).toBe('2')
    await press('Run again')
    expect(changesOf(asked)).toMatchObject([
      { what: 'POST /runs/77/again', body: { inputs: { harbour: 'Orrin Quay', copies: '2', dry: 'yes' } } },
    ])
    expect((changesOf(asked)[0]?.body as { inputs: object }).inputs).not.toHaveProperty('word')
    await waitFor(() => expect(window.location.pathname).toBe('/runs/901'))
  })

  it('asks nothing about the place of a flow, whose steps have their own', async () => {
    const asked = await dialog({ 'GET /startables/5': { ...job, isFlow: true, target: null, command: null } })
    type('Copies', '2')
    fireEvent.change(word(), { target: { value: 'w' } })
    expect(screen.queryByText('Where')).toBeNull()
    await press('Start now')
    expect(changesOf(asked)[0]?.body).toMatchObject({ jobId: 5, target: null })
  })

  it.each([
    ['viewer', true],
    ['operator', false],
  ] as const)('cannot be opened by a %s of a job that is on: %s', async (role, isRefused) => {
    show(<StartButton jobId={5} title="Till file" active={!isRefused || role === 'viewer'} />, SERVER, { role })
    const button = screen.getByRole('button', { name: 'Start Till file' })
    fireEvent.click(button)
    if (isRefused) expect(screen.queryByRole('dialog')).toBeNull()
    else expect(await screen.findByRole('dialog')).toBeTruthy()
  })
})
