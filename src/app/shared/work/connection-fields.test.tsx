import { fireEvent, screen } from '@testing-library/react'
import { useEffect, useState, type ReactNode } from 'react'
import { connectionSchema, type Connection, type ConnectionKind } from '@/core/work/connections'
import { choose, show } from '@/ui/screen.test-help'
import { ConnectionFields } from './connection-fields'
import { BLANK } from './connections/kinds'

jest.mock('./code-field', () => ({
  CodeField: ({
    label,
    value,
    onChange,
    error,
  }: {
    label: string
    value: string
    onChange: (v: string) => void
    error?: string
  }) => (
    <>
      <textarea aria-label={label} value={value} onChange={(event) => onChange(event.target.value)} />
      {error}
    </>
  ),
}))

const held: { now: Connection } = { now: BLANK.reach }
function Held({ kind, faults }: { kind: ConnectionKind; faults: Record<string, string> }): ReactNode {
  const [action, setAction] = useState<Connection>(BLANK[kind])
  useEffect(() => void (held.now = action), [action])
  return (
    <ConnectionFields
      action={action}
      onChange={setAction}
      faultOf={(path) => faults[path.replace('definition.action.', '')]}
    />
  )
}
const open = (kind: ConnectionKind, faults: Record<string, string> = {}): void =>
  void show(<Held kind={kind} faults={faults} />, {})
const write = (label: string | RegExp, value: string): void =>
  void fireEvent.change(screen.getByLabelText(label), { target: { value } })
const made = (): Connection => connectionSchema.parse(held.now)

describe('the fields of each kind make what the kind needs', () => {
  it('a reach check: by TCP with a port, by HTTP with an address', async () => {
    open('reach')
    write('host', 'gw.orrin')
    write('port', '22')
    write('Seconds it may take', '5')
    expect(made()).toEqual({ kind: 'reach', by: 'tcp', host: 'gw.orrin', port: 22, withinSeconds: 5 })
    await choose(/^TCP port|by/, 'HTTP')
    expect(screen.queryByLabelText('port')).toBeNull()
    write('address', 'http://gw.orrin/health')
    expect(made()).toMatchObject({ by: 'http', host: 'http://gw.orrin/health', port: null })
  })

  it('an HTTP request: method, headers, body, status, and what is picked', async () => {
    open('http', { url: 'Not an address.' })
    expect(screen.getByText('Not an address.')).toBeTruthy()
    expect(screen.queryByLabelText('body')).toBeNull()
    await choose(/^GET/, 'POST')
    write('address', 'https://sailings.example/${boat}')
    write('expected status', '201, 2xx')
    write(/^headers/, 'Content-Type=application/json\nX-Night=yes')
    write(/^to pick/, 'first=/sailings/0/boat')
    write('body', '{"boat":"${boat}"}')
    expect(made()).toMatchObject({
      method: 'POST',
      url: 'https://sailings.example/${boat}',
      expect: ['201', '2xx'],
      headers: { 'Content-Type': 'application/json', 'X-Night': 'yes' },
      pick: { first: '/sailings/0/boat' },
      body: '{"boat":"${boat}"}',
    })
    write(/^headers/, 'no value here')
    expect(screen.getByText('“no value here” is not NAME=value.')).toBeTruthy()
  })

  it('SQL: statement, parameters and row counts', () => {
    open('sql')
    write('host', 'kelda-db1')
    write('port', '${port}')
    write('database', 'fares')
    write('Statement', 'SELECT * FROM fares WHERE harbour = $1')
    write(/^parameters/, '${harbour}\n7')
    write('rows at least', '1')
    write('rows at most', '')
    write('rows kept', '50')
    fireEvent.click(screen.getByRole('checkbox'))
    expect(made()).toEqual({
      kind: 'sql',
      host: 'kelda-db1',
      port: '${port}',
      database: 'fares',
      statement: 'SELECT * FROM fares WHERE harbour = $1',
      parameters: ['${harbour}', '7'],
      leastRows: 1,
      mostRows: null,
      keepRows: 50,
      tls: true,
    })
  })

  it('a transfer: direction, files, folder and host key', async () => {
    open('transfer')
    await choose(/from here to there/, 'from there to here')
    write(/^files/, '/out/manifest-*.csv')
    write('into the folder', '/srv/in')
    write('host', 'gw.orrin')
    write(/^host key/, `SHA256:${'a'.repeat(43)}`)
    write('Files at least', '2')
    expect(made()).toMatchObject({
      direction: 'down',
      from: '/out/manifest-*.csv',
      into: '/srv/in',
      least: 2,
      port: 22,
    })
    write(/^host key/, '')
    expect(made()).toMatchObject({ hostKey: null })
  })

  it('a mail, a ticket, and a command over SSH', async () => {
    open('mail')
    write('host', 'mail.example')
    write('from', 'bugle@marram.example')
    write(/^to, with/, 'a@marram.example, b@marram.example')
    write('subject', 'Night of ${day}')
    expect(made()).toMatchObject({ to: ['a@marram.example', 'b@marram.example'], port: 25 })
    open('ticket')
    write('address of the ticket desk', 'http://desk.example/tickets')
    write('title of the ticket', 'It failed')
    await choose(/^normal/, 'high')
    expect(made()).toMatchObject({ url: 'http://desk.example/tickets', urgency: 'high' })
    open('ssh')
    write('host', 'sign.orrin')
    write('Command line', 'cat sign.txt')
    expect(made()).toMatchObject({ command: 'cat sign.txt', port: 22, hostKey: null })
  })
})
