import { createHash } from 'node:crypto'
import { Client, type ConnectConfig } from 'ssh2'
import { quoteReferences, shellQuote } from '@/core/work/command'
import { signInFault } from '@/core/work/account'
import { fill, type Connection } from '@/core/work/connections'
import { ActFault, portOf, reasonOf, within, type Context } from './context'

const READY_MS = 20_000

type Far = Extract<Connection, { kind: 'ssh' | 'transfer' }>

/** Signs in by SSH with the account's password, or its key if the secret is one. The host key is checked, or shown where none is written down. */
export async function signIn(far: Far, { values, account, say, warn }: Context): Promise<Client> {
  if (!account) throw new ActFault('It needs a run-as account.')
  const fault = signInFault(account.account, account, far, values)
  if (fault !== null) throw new ActFault(fault)
  const host = fill(far.host, values)
  const port = portOf(far.port, values)
  say(`→ ssh ${account.user}@${host}:${port}`)
  let refusal = ''
  const isKey = account.secret.includes('PRIVATE KEY')
  const config: ConnectConfig = {
    host,
    port,
    username: account.user,
    ...(isKey ? { privateKey: account.secret } : { password: account.secret }),
    readyTimeout: READY_MS,
    keepaliveInterval: 10_000,
    hostVerifier: (key: Buffer) => {
      const seen = createHash('sha256').update(key).digest('base64').replace(/=+$/, '')
      if (far.hostKey === null && !account.unknownHosts) {
        refusal = `The host key of ${host} is SHA256:${seen}, and the job says none: write it there if it is the right one. Nothing was sent to that machine; the account ${account.account} does not sign in at unknown ones.`
        return false
      }
      if (far.hostKey === null) {
        warn(`The host key is not checked: it is SHA256:${seen}. Write that into the job to have it checked.`)
        return true
      }
      const isRight = far.hostKey.replace(/^SHA256:/, '').replace(/=+$/, '') === seen
      if (!isRight) refusal = `The host key is SHA256:${seen}, not ${far.hostKey}: it may be another machine.`
      return isRight
    },
  }
  const client = new Client()
  await new Promise<void>((resolve, reject) => {
    client.once('ready', resolve)
    // Closed in the middle of signing in, the library tells of no error.
    client.once('close', () =>
      reject(new ActFault(`${host}:${port} closed the connection before ${account.user} was let in.`)),
    )
    client.once('error', (error) => {
      const { level } = error as Error & { level?: string }
      reject(
        new ActFault(
          refusal ||
            (level === 'client-authentication'
              ? `${host} did not let ${account.user} in.`
              : `${host}:${port} cannot be reached: ${reasonOf(error)}.`),
        ),
      )
    })
    client.connect(config)
  })
  client.on('error', () => undefined)
  return client
}

/** A command on a machine without an agent; its output and its exit code are this attempt's. Inputs are variables of its shell. */
export async function ssh(action: Extract<Connection, { kind: 'ssh' }>, context: Context): Promise<number> {
  const client = await signIn(action, context)
  const { values, say } = context
  const command = quoteReferences(action.command, new Set(Object.keys(values)))
  const used = Object.entries(values).filter(([name]) => action.command.includes(name))
  const whole = [...used.map(([name, value]) => `export ${name}=${shellQuote(value)}`), command].join('\n')
  say(`$ ${action.command}`)
  const done = new Promise<number>((resolve, reject) => {
    client.exec(whole, (error, stream) => {
      if (error) {
        reject(new ActFault(`The command could not be started: ${error.message}.`))
        return
      }
      stream.pipe(process.stdout, { end: false })
      stream.stderr.pipe(process.stderr, { end: false })
      stream.on('close', (code: number | null, signal?: string) =>
        code === null
          ? reject(new ActFault(signal ? `The command was ended by ${signal}.` : 'The connection was cut.'))
          : resolve(code),
      )
      client.on('close', () => reject(new ActFault('The connection was cut.')))
    })
  })
  try {
    return await within(action.withinSeconds, done, () => client.end())
  } finally {
    client.end()
  }
}
