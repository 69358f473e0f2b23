import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { changesOf, choose, No, press, show, type } from '@/ui/screen.test-help'
import { MySettings } from './my-settings'
import { TimingSettings } from './timing-settings'

const at = new Date(Date.now() - 3_600_000).toISOString()

describe('my settings', () => {
  const server = {
    'GET /me/sessions': [
      { id: 1, address: '10.0.0.1', userAgent: 'here', createdAt: at, lastSeenAt: at, current: true },
      { id: 2, address: '10.0.0.2', userAgent: 'elsewhere', createdAt: at, lastSeenAt: at, current: false },
    ],
    'GET /me/tokens': [
      { id: 5, name: 'export', createdAt: at, expiresAt: at, lastUsedAt: null, revokedAt: null },
      { id: 6, name: 'old', createdAt: at, expiresAt: at, lastUsedAt: at, revokedAt: at },
    ],
    'PATCH /me': undefined,
    'POST /me/tokens': { token: 'bugle_abc' },
    'DELETE /me/tokens/5': undefined,
    'DELETE /me/sessions/2': undefined,
  }
  const rowOf = async (table: string, text: string): Promise<HTMLElement> => {
    await screen.findByText(text)
    return within(screen.getByRole('table', { name: table }))
      .getByText(text)
      .closest('tr') as HTMLElement
  }

  it('end another session, never the present one by mistake', async () => {
    const asked = show(<MySettings />, server)
    const other = await rowOf('Sessions', '10.0.0.2')
    expect(within(await rowOf('Sessions', '10.0.0.1')).queryByRole('button')).toBeNull()
    fireEvent.click(within(other).getByRole('button', { name: 'End' }))
    await waitFor(() => expect(changesOf(asked)).toEqual([{ what: 'DELETE /me/sessions/2', body: undefined }]))
  })

  it('show a new token once, and revoke one', async () => {
    const asked = show(<MySettings />, server)
    await rowOf('Access tokens', 'export')
    type('What it is for', 'nightly export')
    await press('Make')
    expect(await screen.findByText('bugle_abc')).toBeTruthy()
    expect(within(await rowOf('Access tokens', 'old')).queryByRole('button')).toBeNull()
    fireEvent.click(within(await rowOf('Access tokens', 'export')).getByRole('button', { name: 'Revoke' }))
    await waitFor(() => expect(changesOf(asked)).toHaveLength(2))
    expect(changesOf(asked)).toMatchObject([
      { what: 'POST /me/tokens', body: { name: 'nightly export', days: 90 } },
      { what: 'DELETE /me/tokens/5' },
    ])
  })

  it('keep what new triggers begin with, and take it back', async () => {
    const asked = show(<MySettings />, server)
    await choose(/If the run before still goes on/, 'leave this start out')
    await choose(/leave this start out/, 'as usual')
    expect(changesOf(asked)).toEqual([
      { what: 'PATCH /me', body: { newTrigger: { overlap: 'skip' } } },
      { what: 'PATCH /me', body: { newTrigger: {} } },
    ])
  })

  it('say what is wrong with a new password', async () => {
    show(<MySettings />, {
      ...server,
      'POST /me/password': new No(400, { detail: 'No.', errors: [{ path: 'next', message: 'Too short.' }] }),
    })
    fireEvent.change(screen.getByLabelText('New password'), { target: { value: 'x' } })
    await press('Change it')
    expect(await screen.findByText('Too short.')).toBeTruthy()
  })
})

describe('settings of timing', () => {
  /** Each card has a button of its own. */
  const save = (card: number): void => {
    fireEvent.click(screen.getAllByRole('button', { name: 'Save' })[card] as HTMLElement)
  }
  const server = {
    'GET /starts': { on: true, note: '', by: null, at: null },
    'GET /too-often': { minutes: 30, machines: 10 },
    'GET /settings/chances': { amber: 90, red: 50 },
    'PUT /settings/chances': undefined,
    'PUT /starts': undefined,
    'PUT /too-often': undefined,
  }
  it('switch all starts off, with a reason', async () => {
    const asked = show(<TimingSettings />, server, { role: 'operator' })
    await screen.findByText('Starts by triggers are on')
    type('Why (shown to everybody)', 'Storage is being moved')
    await press('Switch starts off')
    expect(await screen.findByText('Starts by triggers are off. Runs go on.')).toBeTruthy()
    expect(changesOf(asked)).toEqual([{ what: 'PUT /starts', body: { on: false, note: 'Storage is being moved' } }])
  })

  it('say who switched them off and why, and switch them on', async () => {
    const asked = show(
      <TimingSettings />,
      { ...server, 'GET /starts': { on: false, note: 'Storage', by: 'Callum Eads', at } },
      { role: 'operator' },
    )
    expect((await screen.findByText(/Switched off by Callum Eads/)).textContent).toContain('Storage')
    await press('Switch starts on')
    await waitFor(() => expect(changesOf(asked)).toEqual([{ what: 'PUT /starts', body: { on: true, note: '' } }]))
  })

  it('keep the threshold, and say what is wrong with one', async () => {
    const asked = show(
      <TimingSettings />,
      {
        ...server,
        'PUT /too-often': ({ body }: { body: unknown }) =>
          typeof (body as { minutes: unknown }).minutes === 'number'
            ? undefined
            : new No(400, { detail: 'No.', errors: [{ path: 'minutes', message: 'A whole number.' }] }),
      },
      { role: 'administrator' },
    )
    await screen.findByText('When a deadline is at risk')
    type('Minutes', 'ten')
    save(0)
    expect(await screen.findByText('A whole number.')).toBeTruthy()
    type('Minutes', '15')
    save(0)
    expect(await screen.findByText('Saved.')).toBeTruthy()
    expect(changesOf(asked).at(-1)?.body).toEqual({ minutes: 15, machines: 10 })
  })

  it('keep the chances below which somebody is told', async () => {
    const asked = show(
      <TimingSettings />,
      {
        ...server,
        'PUT /settings/chances': ({ body }: { body: unknown }) =>
          (body as { red: number; amber: number }).red < (body as { amber: number }).amber
            ? undefined
            : new No(400, { detail: 'No.', errors: [{ path: 'red', message: 'It must be below the other limit.' }] }),
      },
      { role: 'administrator' },
    )
    await screen.findByText('When a deadline is at risk')
    type('Hardly to be met, per cent', '95')
    save(1)
    expect(await screen.findByText('It must be below the other limit.')).toBeTruthy()
    type('Hardly to be met, per cent', '60')
    save(1)
    expect(await screen.findByText(/^Saved\. It holds from the next forecast on/)).toBeTruthy()
    expect(changesOf(asked).at(-1)).toEqual({ what: 'PUT /settings/chances', body: { amber: 90, red: 60 } })
  })
})
