import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import { changesOf, choose, No, press, show, type } from '@/ui/screen.test-help'
import { EnrolDialog } from './enrol-dialog'
import { Pools } from './pools'

describe('enrolling', () => {
  const server = {
    'GET /pools': [{ id: 1, name: 'harbours', members: [], robots: [] }],
    'POST /enrolment-keys': {
      id: 3,
      key: 'k',
      expiresAt: new Date(Date.now() + 3_600_000).toISOString(),
      command: 'curl -fsS http://here/agent.cjs …',
    },
    'GET /enrolment-keys/3/enrolments': [],
    'POST /enrolments/8/answer': undefined,
  }
  const dialog = (more: object = {}) =>
    show(<EnrolDialog isOpen onClose={() => undefined} />, { ...server, ...more }, { role: 'administrator' })

  it('gives one command to paste, and waits', async () => {
    const asked = dialog()
    await screen.findByRole('checkbox', { name: 'harbours' })
    type('For how many machines', '2')
    type('Slots each', '4')
    type('Labels, as key=value', 'os=linux, site=kelda')
    fireEvent.click(screen.getByRole('checkbox', { name: 'harbours' }))
    await press('Make the command')
    expect((await screen.findByLabelText('The command to paste')).textContent).toBe('curl -fsS http://here/agent.cjs …')
    expect(await screen.findByText(/Waiting for an agent to call/)).toBeTruthy()
    expect(changesOf(asked)[0]?.body).toEqual({
      uses: 2,
      minutes: 60,
      slots: 4,
      labels: { os: 'linux', site: 'kelda' },
      poolIds: [1],
    })
  })

  it('asks what to do with a machine that is known', async () => {
    const asked = dialog({
      'GET /enrolment-keys/3/enrolments': [
        { id: 8, state: 'asking', host: 'kelda', existingName: 'kelda-app1', existingContactAt: null },
        { id: 9, state: 'granted', host: 'orrin', agentId: 4, agentName: 'orrin-ops1', connected: true },
        { id: 10, state: 'refused', host: 'odd' },
      ],
    })
    await press('Make the command')
    expect((await screen.findByText(/is enrolled already as/)).textContent).toContain('kelda-app1')
    expect(screen.getByText(/is connected\./).textContent).toContain('orrin-ops1')
    expect(screen.getByText(/odd was refused/)).toBeTruthy()
    await press('Replace it')
    await waitFor(() =>
      expect(changesOf(asked).at(-1)).toEqual({ what: 'POST /enrolments/8/answer', body: { answer: 'replace' } }),
    )
  })

  it('names what is wrong, and can be sent again', async () => {
    let tries = 0
    dialog({
      'POST /enrolment-keys': () =>
        tries++ === 0
          ? new No(400, {
              detail: 'No.',
              errors: [{ path: 'labels.OS', message: 'A label’s name is lower-case letters.' }],
            })
          : server['POST /enrolment-keys'],
    })
    type('Labels, as key=value', 'OS=linux')
    await press('Make the command')
    expect(await screen.findByText(/lower-case letters/)).toBeTruthy()
    type('Labels, as key=value', 'os=linux')
    await press('Make the command')
    expect(await screen.findByLabelText('The command to paste')).toBeTruthy()
  })
})

describe('pools', () => {
  const server = {
    'GET /pools': [
      {
        id: 1,
        name: 'harbours',
        title: 'Harbours',
        slots: 6,
        active: true,
        members: [{ agentId: 4, name: 'orrin-ops1', active: true }],
        robots: [{ robotId: 9, name: 'desk1', active: true }],
        steer: null,
      },
    ],
    'GET /agents': [
      { id: 4, name: 'orrin-ops1', state: 'connected' },
      { id: 5, name: 'stavin-ops1', state: 'connected' },
      { id: 6, name: 'gone', state: 'revoked' },
    ],
    'GET /robots': [
      { id: 9, name: 'desk1' },
      { id: 10, name: 'desk2' },
    ],
    'PUT /pools/1/members': undefined,
    'POST /pools/1/steer': undefined,
    'DELETE /pools/1/steer': undefined,
    'PATCH /pools/1': undefined,
    'POST /pools': { id: 2 },
  }
  it('take members in, switch one off, and let one go', async () => {
    const asked = show(<Pools />, server, { role: 'administrator' })
    fireEvent.click(await screen.findByRole('switch', { name: /orrin-ops1 in harbours/ }))
    await press('Take orrin-ops1 out of harbours')
    await choose(/Add to harbours/, 'stavin-ops1')
    fireEvent.click(await screen.findByRole('switch', { name: /desk1 in harbours/ }))
    await choose(/Add a robot to harbours/, 'desk2')
    expect(changesOf(asked).map(({ body }) => body)).toEqual([
      { agentId: 4, member: true, active: false },
      { agentId: 4, member: false, active: true },
      { agentId: 5, member: true, active: true },
      { robotId: 9, member: true, active: false },
      { robotId: 10, member: true, active: true },
    ])
  })

  it('have all their work steered to one member for a while, and steered back', async () => {
    const asked = show(<Pools />, server, { role: 'administrator' })
    await press('Steer all work of harbours to orrin-ops1')
    expect(await screen.findByText(/The other member is switched off; what runs there goes on/)).toBeTruthy()
    await choose(/Until/, 'an hour from now')
    await press('Steer here')
    await waitFor(() => expect(changesOf(asked)).toHaveLength(1))
    const { agentId, until } = changesOf(asked)[0]?.body as { agentId: number; until: string }
    expect([agentId, Math.round((Date.parse(until) - Date.now()) / 60_000)]).toEqual([4, 60])
  })

  it('that are steered say so, and offer only to undo it', async () => {
    const [pool] = server['GET /pools']
    const steered = { ...pool, steer: { onto: 'desk1', by: 'Ines Aldaya', until: null } }
    const asked = show(<Pools />, { ...server, 'GET /pools': [steered] }, { role: 'administrator' })
    expect(await screen.findByText('All work goes to desk1, by Ines Aldaya.')).toBeTruthy()
    expect(screen.queryByRole('button', { name: /Steer all work/ })).toBeNull()
    await press('Undo the steering of harbours')
    await waitFor(() => expect(changesOf(asked).map(({ what }) => what)).toEqual(['DELETE /pools/1/steer']))
  })

  it('offer only agents that are not in it and not revoked', async () => {
    show(<Pools />, server, { role: 'administrator' })
    await press(/Add to harbours/)
    expect((await screen.findAllByRole('option')).map((option) => option.textContent)).toEqual(['stavin-ops1'])
  })

  it('are switched off as a whole, and it is said what that means', async () => {
    show(<Pools />, server, { role: 'administrator' })
    fireEvent.click(await screen.findByRole('switch', { name: /Pool Harbours/ }))
    expect(
      await screen.findByText('Harbours is off: what runs there goes on, and what is sent to it waits.'),
    ).toBeTruthy()
  })

  it('are made with a name that fits, else told why not', async () => {
    show(
      <Pools />,
      {
        ...server,
        'POST /pools': new No(400, { detail: 'No.', errors: [{ path: 'name', message: 'Use lower-case letters.' }] }),
      },
      { role: 'administrator' },
    )
    await press('New pool')
    const dialog = await screen.findByRole('dialog')
    type('Name, as jobs refer to it', 'Lab Pool')
    fireEvent.click(within(dialog).getByRole('button', { name: 'Add' }))
    expect(await screen.findByText('Use lower-case letters.')).toBeTruthy()
  })

  it('cannot be changed by a designer, who still sees them', async () => {
    show(<Pools />, server, { role: 'designer' })
    expect((await screen.findByRole('switch', { name: /Pool Harbours/ })).getAttribute('aria-readonly')).toBe('true')
    expect(screen.queryByRole('button', { name: /Add to harbours/ })).toBeNull()
  })
})
