import { screen, waitFor } from '@testing-library/react'
import type { MailServerRow } from '@/service/notices/mail-servers'
import { changesOf, No, press, show, type } from '@/ui/screen.test-help'
import { MailServers } from './mail-servers'

const office: MailServerRow = {
  id: 3,
  name: 'office',
  host: 'mail.example',
  port: 25,
  tls: false,
  from: 'bugle@marram.example',
  account: null,
  notices: 2,
  changedBy: 'Ines Aldaya',
  changedAt: '2027-03-01T10:00:00Z',
}
const SERVER = { 'GET /mail-servers': [office], 'GET /accounts': [] }

describe('mail servers', () => {
  it('are entered once, with what is wrong at its place', async () => {
    const asked = show(
      <MailServers />,
      {
        ...SERVER,
        'POST /mail-servers': new No(400, { detail: 'No.', errors: [{ path: 'host', message: 'A host name.' }] }),
      },
      { role: 'administrator' },
    )
    await press('Add a mail server')
    await screen.findByRole('dialog')
    type('Name', 'second')
    type('host', 'relay example')
    type('port', '587')
    type('sender', 'night@marram.example')
    await press('Add')
    expect(await screen.findByText('A host name.')).toBeTruthy()
    expect(changesOf(asked)).toEqual([
      {
        what: 'POST /mail-servers',
        body: {
          name: 'second',
          host: 'relay example',
          port: 587,
          tls: false,
          from: 'night@marram.example',
          account: null,
        },
      },
    ])
  })

  it('are changed but for their name, and by administrators alone', async () => {
    const asked = show(<MailServers />, { ...SERVER, 'PUT /mail-servers/3': undefined }, { role: 'administrator' })
    await press('Change office')
    await screen.findByRole('dialog')
    type('host', 'relay.example')
    await press('Save')
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull())
    expect(changesOf(asked)).toEqual([
      {
        what: 'PUT /mail-servers/3',
        body: { host: 'relay.example', port: 25, tls: false, from: 'bugle@marram.example', account: null },
      },
    ])
  })

  it('lead nowhere for who may not', async () => {
    show(<MailServers />, SERVER, { role: 'designer' })
    await screen.findByText('mail.example:25')
    await press('Add a mail server')
    expect(screen.queryByRole('dialog')).toBeNull()
  })
})
