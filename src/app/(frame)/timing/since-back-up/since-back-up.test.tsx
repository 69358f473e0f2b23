import { fireEvent, screen, within } from '@testing-library/react'
import type { FoundRun, SinceBackUp } from '@/service/runs/taking'
import { changesOf, No, press, show } from '@/ui/screen.test-help'
import { SinceBackUpScreen } from './since-back-up-screen'

const RUN: FoundRun = {
  attempt: 48,
  token: 61,
  agent: 'orrin-ops1',
  isConnected: true,
  run: 18_204,
  try: 1,
  title: 'Till file Orrin',
  handedAt: '2026-11-30T02:00:00.000Z',
  by: 'Till files at night',
  goesOn: false,
  flowRun: null,
  step: null,
  why: null,
}
const FOUND: SinceBackUp = {
  restoredAt: '2026-11-30T03:10:00.000Z',
  runs: [
    RUN,
    { ...RUN, attempt: 49, token: 62, run: 18_205, title: 'Name check', flowRun: 18_200, step: 'check' },
    {
      ...RUN,
      attempt: 50,
      token: 63,
      run: 18_206,
      title: 'Tide tables',
      why: 'tarn-ops1 is not connected: take it once it is.',
    },
  ],
  unnamed: 2,
  held: 3,
}
const rowOf = async (title: string): Promise<HTMLElement> =>
  (await screen.findByText(title)).closest('tr') as HTMLElement
const pressIn = async (title: string, name: string): Promise<void> => {
  fireEvent.click(within(await rowOf(title)).getByRole('button', { name }))
}

describe('what agents did since a back-up', () => {
  it('says what each was, and what keeps it out of the record', async () => {
    show(<SinceBackUpScreen />, { 'GET /since-back-up': FOUND })
    expect((await rowOf('Name check')).textContent).toMatch(/#18205.*orrin-ops1.*step check of flow run #18200/)
    expect((await rowOf('Tide tables')).textContent).toContain('tarn-ops1 is not connected')
    expect(screen.getByText(/3 runs and steps had not begun/)).toBeTruthy()
    expect(screen.getByText(/2 runs more could not be named yet/)).toBeTruthy()
  })

  it('takes one in, leaves one out, takes all that can be, and releases what is held', async () => {
    const asked = show(<SinceBackUpScreen />, {
      'GET /since-back-up': FOUND,
      'POST /since-back-up': {
        done: [18_204],
        passedOver: [{ run: 18_205, why: 'The record has an end of this run.' }],
      },
      'POST /since-back-up/release': { released: 3 },
    })
    await pressIn('Till file Orrin', 'Take in')
    expect(
      await screen.findByText(/One run taken into the record\. One run passed over: The record has an end/),
    ).toBeTruthy()
    await pressIn('Name check', 'Leave out')
    await press('Take all 2 in')
    await press('Release them')
    const [one, two] = [
      { attempt: 48, token: 61 },
      { attempt: 49, token: 62 },
    ]
    expect(changesOf(asked)).toEqual([
      { what: 'POST /since-back-up', body: { act: 'take', attempts: [one] } },
      { what: 'POST /since-back-up', body: { act: 'leave', attempts: [two] } },
      { what: 'POST /since-back-up', body: { act: 'take', attempts: [one, two] } },
      { what: 'POST /since-back-up/release', body: {} },
    ])
  })

  it('asks before it ends what may still go on', async () => {
    const asked = show(<SinceBackUpScreen />, {
      'GET /since-back-up': { ...FOUND, runs: [{ ...RUN, goesOn: true }] },
      'POST /since-back-up': { done: [18_204], passedOver: [] },
    })
    expect((await rowOf('Till file Orrin')).textContent).toContain('It may still be going on.')
    await pressIn('Till file Orrin', 'Leave out')
    const dialog = await screen.findByRole('dialog')
    expect(dialog.textContent).toContain('orrin-ops1 may still be at work on it')
    expect(changesOf(asked)).toEqual([])
    fireEvent.click(within(dialog).getByRole('button', { name: 'End it' }))
    expect(await screen.findByText('One run left out.')).toBeTruthy()
    expect(changesOf(asked)).toHaveLength(1)
  })

  it('says what the server refuses', async () => {
    show(<SinceBackUpScreen />, {
      'GET /since-back-up': FOUND,
      'POST /since-back-up': new No(403, { detail: 'Your role may only look.' }),
    })
    await pressIn('Till file Orrin', 'Take in')
    expect(await screen.findByText('Your role may only look.')).toBeTruthy()
  })

  it('says that there was no restore', async () => {
    show(<SinceBackUpScreen />, { 'GET /since-back-up': { restoredAt: null, runs: [], unnamed: 0, held: 0 } })
    expect(await screen.findByText('No back-up was brought back')).toBeTruthy()
  })
})
