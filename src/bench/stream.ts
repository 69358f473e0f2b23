import { spawn } from 'node:child_process'
import { once } from 'node:events'
import { COMMAND_LINE } from '@/service/base/actor'
import { insertPerson } from '@/service/people/people'
import { signInAsDemoPerson } from '@/service/entry/sign-in'
import { closeDb, transaction } from '@/store/db'
import { notify } from '@/store/listen'
import { migrate } from '@/store/migrate'
import { cpuShare, pause } from './shared'

const BROWSERS = 200
/** One person may have only so many pages open. */
const PAGES_A_PERSON = 20
const EVENTS_A_SECOND = 50
const SECONDS = 20
const live = `http://127.0.0.1:${process.env.BUGLE_WEB_PORT}/api/v1/live`

/** Opens a stream and counts what it says. */
async function hear(cookie: string, heard: { messages: number; bytes: number }, signal: AbortSignal): Promise<void> {
  const { status, body } = await fetch(live, { headers: { cookie }, signal })
  if (status !== 200 || !body) throw new Error(`The stream answers ${status}.`)
  const reading = async (): Promise<void> => {
    for await (const chunk of body as unknown as AsyncIterable<Uint8Array>) {
      heard.bytes += chunk.length
      heard.messages += Buffer.from(chunk).toString('latin1').split('data:').length - 1
    }
  }
  reading().catch(() => undefined)
}

async function untilAnswers(): Promise<void> {
  for (let i = 0; i < 100; i++) {
    if (await fetch(live).then(Boolean, () => false)) return
    await pause(200)
  }
  throw new Error('web does not answer')
}

async function main(): Promise<void> {
  // People of the demo sign in without a password.
  process.env.BUGLE_DEMO = '1'
  await migrate()
  const web = spawn(process.execPath, ['dist/web.cjs'], {
    env: { ...process.env, BUGLE_LOG: 'error' },
    stdio: ['ignore', 'ignore', 'inherit'],
  })
  process.once('exit', () => web.kill('SIGKILL'))
  await untilAnswers()
  const heard = { messages: 0, bytes: 0 }
  const ends = new AbortController()
  for (let i = 0; i < BROWSERS / PAGES_A_PERSON; i++) {
    const person = {
      email: `p${i}@marram.example`,
      name: `P${i}`,
      role: 'viewer',
      passwordHash: null,
      isDemo: true,
    } as const
    const { id } = await transaction((tx) => insertPerson(tx, COMMAND_LINE, person))
    const token = await signInAsDemoPerson(id, { address: '127.0.0.1', userAgent: 'bench' })
    for (let j = 0; j < PAGES_A_PERSON; j++) await hear(`bugle_session=${token}`, heard, ends.signal)
  }
  await pause(3000)
  const idle = await cpuShare(web.pid as number, 5)
  heard.messages = heard.bytes = 0
  let run = 0
  const telling = setInterval(() => void notify(null, { runs: [++run, ++run], timing: true }), 1000 / EVENTS_A_SECOND)
  const busy = await cpuShare(web.pid as number, SECONDS)
  clearInterval(telling)
  console.log(
    JSON.stringify(
      {
        browsers: BROWSERS,
        eventsASecond: run / 2 / SECONDS,
        messagesASecondAndBrowser: Math.round((heard.messages / BROWSERS / SECONDS) * 100) / 100,
        bytesASecondAndBrowser: Math.round(heard.bytes / BROWSERS / SECONDS),
        cores: { idle, busy },
        aims: { busy: 0.25 },
      },
      null,
      2,
    ),
  )
  ends.abort()
  const ended = once(web, 'exit')
  web.kill('SIGTERM')
  await ended
  await closeDb()
}

main()
  .catch((error: unknown) => {
    console.error(error)
    process.exitCode = 1
  })
  .finally(() => process.exit())
