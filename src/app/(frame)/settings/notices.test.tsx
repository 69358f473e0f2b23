import { fireEvent, screen, waitFor, within } from '@testing-library/react'
import type { NoticeRow, NoticeSend } from '@/service/notices/notices'
import { changesOf, choose, No, press, show, type } from '@/ui/screen.test-help'
import { Notices } from './notices'

const notice: NoticeRow = {
  id: 4,
  title: 'To the office',
  active: true,
  jobId: null,
  areaId: 2,
  events: ['failed', 'late'],
  action: {
    kind: 'mail',
    server: 'office',
    to: ['c@d'],
    subject: '${title}',
    text: '',
  },
  account: null,
  of: 'Close of day',
  changedBy: 'Ines Aldaya',
  changedAt: '2027-03-01T10:00:00Z',
}
const sent = (change: Partial<NoticeSend>): NoticeSend => ({
  id: 1,
  noticeId: 4,
  notice: 'To the office',
  event: 'failed',
  runId: 900,
  title: 'Till file',
  state: 'sent',
  attempts: 1,
  what: 'Till file failed',
  madeAt: '2027-03-09T02:00:00Z',
  sentAt: '2027-03-09T02:00:01Z',
  nextAt: '2027-03-09T02:02:00Z',
  ...change,
})
const SERVER = {
  'GET /notices': [notice],
  'GET /notice-sends': [sent({}), sent({ id: 2, state: 'waiting', attempts: 3, what: 'The mail server failed.' })],
  'GET /jobs': [{ id: 9, title: 'Reconcile fares' }],
  'GET /areas': [{ id: 2, title: 'Close of day' }],
  'GET /accounts': [],
  'GET /mail-servers': [
    { name: 'office', host: 'mail.example', port: 25, tls: false, from: 'a@b', account: null, notices: 1 },
  ],
  'POST /notices': { id: 5 },
  'PUT /notices/4': undefined,
  'DELETE /notices/4': undefined,
  'POST /notices/try': { lines: ['→ mail.example:25', '← 250 Kept'] },
}
const open = (more: object = {}, role: 'designer' | 'operator' = 'designer') =>
  show(<Notices />, { ...SERVER, ...more }, { role })

describe('notices', () => {
  it('say who is told what when, and what came of it', async () => {
    open()
    await screen.findByText('it fails or is lost, it is late')
    const table = screen.getByRole('table', { name: 'Notices' })
    expect(within(table).getAllByRole('row')[1]?.textContent).toContain(
      'To the officeClose of dayit fails or is lost, it is latemailon',
    )
    await screen.findByText('try 3 failed')
    const sends = screen.getByRole('table', { name: 'Notices sent' })
    expect(within(sends).getAllByRole('row')[1]?.textContent).toContain('Till file #900sent')
    expect(within(sends).getAllByRole('row')[2]?.textContent).toContain('try 3 failedThe mail server failed.')
  })

  it('are written, tried, and added', async () => {
    const asked = open()
    await press('New notice')
    await screen.findByRole('dialog')
    type('Title', 'Desk')
    await choose(/everything/, 'Reconcile fares')
    fireEvent.click(screen.getByRole('checkbox', { name: 'it is late' }))
    await choose(/^a mail/, 'a ticket')
    type('address of the ticket desk', 'http://desk.example/tickets')
    type('title of the ticket', '${title} failed')
    await press('Send a trial')
    expect(await screen.findByText('← 250 Kept')).toBeTruthy()
    await press('Add')
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    const [trial, added] = changesOf(asked)
    expect(trial?.what).toBe('POST /notices/try')
    expect(added).toMatchObject({
      what: 'POST /notices',
      body: {
        title: 'Desk',
        jobId: 9,
        areaId: null,
        events: ['failed', 'late'],
        action: { kind: 'ticket', urgency: 'normal' },
      },
    })
  })

  it('tell what is not right at its place, and what a trial met', async () => {
    open({
      'POST /notices/try': new No(409, { detail: 'The mail server refused: 550' }),
      'PUT /notices/4': new No(400, {
        detail: 'No.',
        errors: [{ path: 'action.server', message: 'There is no mail server office.' }],
      }),
    })
    await press('Change To the office')
    await screen.findByRole('dialog')
    await press('Send a trial')
    expect(await screen.findByText('The mail server refused: 550')).toBeTruthy()
    await press('Save')
    expect(await screen.findByText('There is no mail server office.')).toBeTruthy()
  })

  it('are removed after a question, and changed by nobody who may not', async () => {
    const asked = open()
    await press('Remove To the office')
    await press('Remove it')
    expect(changesOf(asked)).toEqual([{ what: 'DELETE /notices/4', body: undefined }])
    const other = open({}, 'operator')
    await press('New notice')
    expect(screen.queryByRole('dialog')).toBeNull()
    expect(changesOf(other)).toEqual([])
  })
})
