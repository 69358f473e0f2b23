import { once } from 'node:events'
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Agent } from './agent'
import { FakeGateway, hello, LEASE, welcome } from './gateway.test-help'
import { Gateways } from './gateways'
import { EXIT, itemCommand } from './item-command'
import type { FromAgent, ItemAnswer, Report } from './protocol'
import { built, builtSupervisor } from './supervisor.test-help'

const supervisor = builtSupervisor()
globalThis.BUGLE_ITEM_COMMAND = readFileSync(built('item-main'), 'utf8')

let dir: string
let gateway: FakeGateway
let agent: Agent

beforeEach(async () => {
  dir = mkdtempSync(join(tmpdir(), 'bugle-agent-'))
  gateway = new FakeGateway()
  await once(gateway.server, 'listening')
  agent = begin()
  await gateway.until(hello)
  gateway.say(welcome())
})
afterEach(() => {
  agent.stop()
  gateway.close()
  rmSync(dir, { recursive: true, force: true })
})

function begin(): Agent {
  const facts = { host: 'desk1', machineId: 'machine-desk1', system: 't', arch: 'x', version: '1.0.0', runtime: 'n' }
  const fresh = new Agent({
    gateways: new Gateways(gateway.url),
    credential: 'bga_test',
    stateDir: dir,
    deskDir: join(dir, 'desk'),
    facts: { ...facts, abilities: ['command'] },
    supervisor,
    log: () => undefined,
  })
  fresh.start()
  return fresh
}

type Question = Extract<FromAgent, { type: 'item' }>
const question =
  (what: string) =>
  (m: FromAgent): m is Question =>
    m.type === 'item' && (m.ask as { do?: string }).do === what
const answer = ({ attempt, request }: Question, given: ItemAnswer): void =>
  gateway.say({ type: 'item', attempt, request, answer: given as { ok: false; why: string } })
const runs = (command: string): void =>
  gateway.say({
    type: 'lease',
    lease: { ...LEASE, action: { kind: 'command', command }, folder: dir, asksForItems: true },
  })

async function end(): Promise<{ code: number | null; lines: string[] }> {
  type Told = Extract<FromAgent, { type: 'reports' }>
  const isEnd = ({ body }: Report): boolean => body.kind === 'ended'
  await gateway.until((m): m is Told => m.type === 'reports' && m.reports.some(isEnd))
  const all = gateway.heard.flatMap((m) => (m.type === 'reports' ? m.reports : [])).map(({ body }) => body)
  return {
    code: all.flatMap((body) => (body.kind === 'ended' ? [body.end.exitCode] : []))[0] ?? null,
    lines: all.flatMap((body) => (body.kind === 'output' ? body.lines.map(([, , text]) => text) : [])),
  }
}

describe('a run of a job that names work queues', () => {
  it('takes an item, ends it with a result, and hears why something is refused', async () => {
    runs(
      `"$BUGLE_AGENT" item take refunds && echo '{"paid": 3}' | "$BUGLE_AGENT" item done 7 --result - && "$BUGLE_AGENT" item reject 8 --why "no such booking"; echo "ended with $?"`,
    )
    const take = await gateway.until(question('take'))
    expect(take).toMatchObject({ attempt: LEASE.attempt, token: LEASE.token, ask: { do: 'take', queue: 'refunds' } })
    answer(take, { ok: true, answer: { item: 7, key: 'MS-1', data: { amount: 3 }, try: 1 } })
    const done = await gateway.until(question('done'))
    expect(done.ask).toEqual({ do: 'done', item: 7, result: { paid: 3 } })
    expect(done.request).not.toBe(take.request)
    answer(done, { ok: true, answer: {} })
    const reject = await gateway.until(question('reject'))
    expect(reject.ask).toEqual({ do: 'reject', item: 8, why: 'no such booking' })
    answer(reject, { ok: false, why: 'This run does not hold item 8.' })
    const { lines } = await end()
    expect(lines).toEqual([
      '{"item":7,"key":"MS-1","data":{"amount":3},"try":1}',
      'This run does not hold item 8.',
      'ended with 1',
    ])
    const left = (): string[] => readdirSync(tmpdir()).filter((name) => name.startsWith('bugle-items-'))
    const folders = left().length
    const over = gateway.heard.flatMap((m) => (m.type === 'reports' ? m.reports : [])).at(-1) as Report
    gateway.say({ type: 'ack', acks: [[LEASE.attempt, over.seq]] })
    while (existsSync(join(dir, 'tries', String(LEASE.attempt))))
      await new Promise((resolve) => setTimeout(resolve, 20))
    expect(left().length).toBeLessThan(folders)
  })

  it('asks the same question again when its agent was started again meanwhile', async () => {
    runs('"$BUGLE_AGENT" item take refunds')
    const first = await gateway.until(question('take'))
    agent.stop()
    const before = gateway.heard.length
    agent = begin()
    await gateway.until(hello, before)
    gateway.say(welcome())
    const again = await gateway.until(question('take'), before)
    expect(again.request).toBe(first.request)
    answer(again, { ok: true, answer: { item: null } })
    expect(await end()).toMatchObject({ code: 0 })
  })

  it('gives up after the time that it was given', async () => {
    runs('"$BUGLE_AGENT" item take refunds --wait PT1S; exit $?')
    await gateway.until(question('take'))
    const { code, lines } = await end()
    expect([code, lines.at(-1)]).toEqual([EXIT.away, 'The server could not be reached.'])
  })
})

describe('the command', () => {
  const said: string[] = []
  const io = { socket: undefined, out: () => undefined, err: (text: string) => said.push(text), stdin: async () => 'x' }
  it.each([
    [['take'], /with which queue or item/],
    [['done', 'seven'], /seven is no number of an item/],
    [['reject', '7'], /Say why/],
    [['done', '7', '--result', '{'], /This is not JSON/],
    [['done', '7', '--result', '-'], /This is not JSON/],
    [['dance', '7'], /no “item dance”/],
    [['take', 'q', '--wait', 'soon'], /a duration as PT30S/],
    [['take', 'q', '--what'], /Unknown option/],
    [['take', 'q'], /BUGLE_ITEMS is not set/],
  ])('%j is used wrongly, and says how it is used', async (args, why) => {
    said.length = 0
    expect(await itemCommand(args, io)).toBe(EXIT.use)
    expect(said[0]).toMatch(why)
    expect(said[0]).toContain('bugle-agent item take QUEUE')
  })
})
