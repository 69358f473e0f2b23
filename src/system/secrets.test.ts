import { spawnSync } from 'node:child_process'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { Mailbox } from '@/standins/services/mailbox'
import { eventually, startSystem, type System } from './harness.test-help'

jest.setTimeout(120_000)

const WORD = 'curlew-plover-dunlin-7'
const SECRET = 'turnstone-sanderling-8'
const LEAKS = [WORD, SECRET, Buffer.from(`svc-harbour:${SECRET}`).toString('base64')]

let system: System
let echo: Server
const mailbox = new Mailbox()
afterEach(async () => {
  await system.stop()
  await mailbox.stop()
  await new Promise((resolve) => echo.close(resolve))
})

it('a secret that a run prints is found nowhere: not in the database, logs, output, answers, notices or the agent’s folder', async () => {
  const mailPort = await mailbox.start(0)
  echo = createServer((request, response) => {
    const { authorization = '' } = request.headers
    response.end(`${authorization} ${Buffer.from(authorization.replace('Basic ', ''), 'base64').toString()}`)
  }).listen(0)
  system = await startSystem({ leaseSeconds: 60 })
  for (const name of ['engine1', 'engine2', 'web', 'agent1', 'agent2']) await system.start(name, { BUGLE_LOG: 'debug' })
  const { id: areaId } = await system.api<{ id: number }>('POST', '/areas', { title: 'Secrets' })
  await system.api('POST', '/accounts', {
    name: 'harbour',
    userName: 'svc-harbour',
    secret: SECRET,
    everywhere: true,
    hosts: ['127.0.0.1'],
    plain: true,
  })
  await system.api('PUT', '/addresses', { allow: ['127.0.0.1'] })
  await system.api('POST', '/mail-servers', {
    name: 'harbour',
    host: '127.0.0.1',
    port: mailPort,
    from: 'bugle@marram.example',
  })
  await system.api('POST', '/notices', {
    title: 'Told',
    events: ['failed', 'ended'],
    action: {
      kind: 'mail',
      server: 'harbour',
      to: ['office@marram.example'],
      subject: '${title} ${line}',
      text: '${reason} ${line}',
    },
  })
  const job = async (title: string, definition: object): Promise<number> =>
    (
      await system.api<{ id: number }>('POST', '/jobs', {
        title,
        areaId,
        definition: { target: { agent: 'agent1' }, folder: system.dir, ...definition },
      })
    ).id
  const printing = await job('Printing', {
    action: {
      kind: 'script',
      interpreter: 'sh',
      script: 'echo "word: ${word}"; echo "said=${word}" >> "$BUGLE_OUTPUTS"; echo "again ${word}" >&2; exit 3',
    },
    inputs: [{ name: 'word', type: 'secret', ask: true }],
  })
  const { port } = echo.address() as AddressInfo
  const echoing = await job('Echoing', {
    action: { kind: 'http', url: `http://127.0.0.1:${port}/`, expect: ['500'] },
    account: 'harbour',
    folder: null,
  })
  const runs = [
    (await system.api<{ id: number }>('POST', '/runs', { jobId: printing, inputs: { word: WORD } })).id,
    (await system.api<{ id: number }>('POST', '/runs', { jobId: echoing })).id,
  ]
  await eventually('both runs to fail', async () => {
    const rows = await system.query<{ state: string }>(`SELECT state FROM runs`)
    return rows.every(({ state }) => state === 'failed')
  })
  // Of each run’s end one, though two of its events are asked for.
  await eventually('the notices to be sent', async () => mailbox.mails.length >= 2)

  const places: [string, string][] = [
    ['logs', system.said()],
    ['notices', JSON.stringify(mailbox.mails)],
  ]
  const tables = await system.query<{ name: string }>(
    `SELECT quote_ident(tablename) AS name FROM pg_tables WHERE schemaname = 'public'`,
  )
  for (const { name } of tables) {
    const rows = await system.query<{ text: string }>(`SELECT t::text AS text FROM ${name} t`)
    places.push([`table ${name}`, rows.map(({ text }) => text).join('\n')])
  }
  for (const path of [
    '/accounts',
    '/audit',
    '/matters',
    '/notices',
    '/mail-servers',
    '/notice-sends',
    '/bundle',
    '/jobs',
  ])
    places.push([path, JSON.stringify(await system.api('GET', path))])
  const outputs: string[] = []
  for (const run of runs) {
    const page = await system.api<{ tries: { id: number }[] }>('GET', `/runs/${run}`)
    const output = JSON.stringify(await system.api('GET', `/runs/${run}/output?attempt=${page.tries[0]?.id}`))
    outputs.push(output)
    const earlier = JSON.stringify(await system.api('GET', `/runs/${run}/earlier`))
    places.push([`/runs/${run}`, JSON.stringify(page)], [`output of ${run}`, output], [`earlier than ${run}`, earlier])
  }
  // The agent’s folder holds a lease only until the attempt is stored.
  await eventually('the agent to forget', async () => spawnSync('grep', ['-rl', WORD, system.dir]).stdout.length === 0)
  expect(spawnSync('grep', ['-rlF', SECRET, system.dir]).stdout.toString()).toBe('')

  const found = places.filter(([, text]) => LEAKS.some((leak) => text.includes(leak))).map(([where]) => where)
  expect(found).toEqual([])
  // And it was printed: what stands there is the mask.
  expect(outputs[0]).toContain('word: ****')
  expect(outputs[1]).toContain('svc-harbour:****')
})
