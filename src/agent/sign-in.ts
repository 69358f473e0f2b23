import { spawn } from 'node:child_process'
import { existsSync } from 'node:fs'
import { accountNamed } from './order'
import { environmentOf } from './start-order'

/** A sign-in that asks and waits for so long comes to nothing. */
const MOST_MS = 20_000
/** Users of no rights, as whom root asks for another one's password: root itself is not asked. */
const NOBODY = 65_534
const SU = ['/usr/bin/su', '/bin/su']
const RUNUSER = ['/usr/sbin/runuser', '/sbin/runuser', '/usr/bin/runuser']

/**
 * Signs in as an account of this machine and does nothing. With a secret by su(1), which asks PAM as any sign-in would, so that also an expired or locked account is
 * found; without, whether this agent can begin something under it.
 *
 * @returns why it did not work, in a sentence; null: it did
 */
export async function trySignIn(user: string, secret: string | null): Promise<string | null> {
  try {
    const account = accountNamed(user)
    if (secret !== null) return await bySu(user, secret)
    if (account === null) return null
    const runuser = RUNUSER.find((file) => existsSync(file))
    if (!runuser) return 'This machine has no runuser: nothing can run under another account.'
    const { code, said } = await ended(runuser, ['-u', account.name, '--', '/bin/true'], null)
    return code === 0 ? null : sentence(said, `Nothing can be begun as ${user}`)
  } catch (error) {
    return (error as Error).message
  }
}

async function bySu(user: string, secret: string): Promise<string | null> {
  const su = SU.find((file) => existsSync(file))
  if (!su) return 'This machine has no su: its secret cannot be tried.'
  // One line is read; more would be taken for answers to what is asked next.
  if (/[\n\r\0]/.test(secret)) return 'Its secret is no password: it has more than one line.'
  const { code, said } = await ended(su, ['-s', '/bin/sh', '-c', 'true', '--', user], `${secret}\n`)
  return code === 0 ? null : sentence(said, `${user} was not let in`)
}

function ended(
  file: string,
  args: readonly string[],
  input: string | null,
): Promise<{ code: number | null; said: string }> {
  const isRoot = process.getuid?.() === 0
  return new Promise((resolve, reject) => {
    const child = spawn(file, args, {
      env: environmentOf({}),
      stdio: [input === null ? 'ignore' : 'pipe', 'ignore', 'pipe'],
      timeout: MOST_MS,
      killSignal: 'SIGKILL',
      ...(isRoot && input !== null ? { uid: NOBODY, gid: NOBODY } : {}),
    })
    let said = ''
    child.stderr?.on('data', (data) => (said = `${said}${String(data)}`.slice(0, 2000)))
    child.stdin?.on('error', () => undefined)
    child.stdin?.end(input)
    child.once('error', reject)
    child.once('close', (code) => resolve({ code, said }))
  })
}

/** The machine's own words, without its prompts. */
function sentence(said: string, otherwise: string): string {
  const words = said
    .replace(/^Password: ?/gim, '')
    .split('\n')
    .map((line) => line.replace(/^(su|runuser): /, '').trim())
    .filter(Boolean)
  return `${otherwise}${words.length > 0 ? `: ${words.join(' ').slice(0, 500)}` : ''}.`.replace(/\.\.$/, '.')
}
