import { appendFileSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { Lease, Report } from './protocol'
import { Try } from './try'

let dir: string
const tries: Try[] = []

beforeEach(() => {
  dir = mkdtempSync(join(tmpdir(), 'bugle-try-'))
})
afterEach(() => {
  for (const one of tries.splice(0)) one.abandon()
  rmSync(dir, { recursive: true, force: true })
})

function lease(command: string, change: Partial<Lease> = {}): Lease {
  return {
    attempt: 7,
    token: 3,
    run: 18204,
    try: 1,
    title: 'test',
    action: { kind: 'command', command },
    folder: tmpdir(),
    environment: {},
    inputs: {},
    secrets: [],
    account: null,
    runAs: null,
    timeLimitSeconds: null,
    graceSeconds: 0.3,
    must: null,
    mustNot: null,
    maxOutputBytes: 64 * 1024 * 1024,
    ...change,
  }
}

interface Watched {
  readonly one: Try
  readonly reports: Report[]
  readonly end: () => Promise<Extract<Report['body'], { kind: 'ended' }>>
  readonly lines: (stream?: string) => string[]
}

/** Begins a try and acknowledges everything at once, as a quick server would. */
function watch(one: Try, reports: Report[] = []): Watched {
  tries.push(one)
  const drain = (): void => {
    for (const report of one.outbox.takeUnsent(100)) {
      reports.push(report)
      one.outbox.acked(report.seq)
    }
  }
  const end = async (): Promise<Extract<Report['body'], { kind: 'ended' }>> => {
    for (;;) {
      drain()
      const last = reports.at(-1)?.body
      if (last?.kind === 'ended') return last
      await new Promise((resolve) => setTimeout(resolve, 10))
    }
  }
  const lines = (stream = 'o'): string[] =>
    reports.flatMap((r) =>
      r.body.kind === 'output' ? r.body.lines.filter((l) => l[1] === stream).map((l) => l[2]) : [],
    )
  return { one, reports, end, lines }
}

const hooks = { now: Date.now, onReport: () => undefined }
const begin = (what: Lease): Watched => {
  const one = Try.take(what, join(dir, 'try'), hooks)
  const watched = watch(one)
  one.begin()
  return watched
}

describe('an attempt on a real machine', () => {
  it('reports start, output of both streams and exit code, numbered without gaps', async () => {
    const it = begin(lease('echo out; echo err >&2; exit 3'))
    const { end } = await it.end()
    expect(end).toMatchObject({ how: 'exited', exitCode: 3, signal: null })
    expect(it.lines('o')).toEqual(['out'])
    expect(it.lines('e')).toEqual(['err'])
    expect(it.reports.map((r) => r.seq)).toEqual(it.reports.map((_, i) => i + 1))
    expect(it.reports[0]?.body).toMatchObject({
      kind: 'started',
      ran: { argv: ['sh', '-c', 'echo out; echo err >&2; exit 3'] },
    })
  })

  it('gives inputs as variables and never shows a secret', async () => {
    const it = begin(
      lease('echo "$who" ${word}; echo ${word} >&2', {
        inputs: { who: "it's $(id)", word: 'hunter2222' },
        secrets: ['word'],
      }),
    )
    await it.end()
    expect(it.lines('o')).toEqual(["it's $(id) ****"])
    expect(JSON.stringify(it.reports)).not.toContain('hunter2222')
    expect(it.reports[0]?.body).toMatchObject({ ran: { environment: { who: "it's $(id)", word: '****' } } })
  })

  it('takes 200,000 lines and a line of 10 MB and loses nothing', async () => {
    const it = begin(lease('seq 1 200000; head -c 10000000 /dev/zero | tr "\\0" x; echo'))
    await it.end()
    const lines = it.lines()
    expect(lines.slice(0, 200_000).every((line, i) => line === String(i + 1))).toBe(true)
    expect(lines.slice(200_000).join('')).toHaveLength(10_000_000)
  })

  it('shows bad UTF-8 and output without a last line end', async () => {
    const it = begin(lease("printf 'a\\377b\\nlast'"))
    await it.end()
    expect(it.lines()).toEqual(['a\ufffdb', 'last'])
  })

  it('kills the whole group of a process that ignores SIGTERM', async () => {
    const it = begin(lease('trap "" TERM; sleep 60 & echo up; while :; do sleep 1; done'))
    while (it.lines().length === 0) {
      it.one.outbox.takeUnsent(100).forEach((r) => it.reports.push(r))
      await new Promise((resolve) => setTimeout(resolve, 20))
    }
    it.one.stop('stopped')
    const { end } = await it.end()
    expect(end.how).toBe('stopped')
    expect(it.lines('a').join()).toContain('SIGKILL')
  })

  it('enforces its time limit', async () => {
    const it = begin(lease('echo begun; sleep 60', { timeLimitSeconds: 0.3 }))
    expect((await it.end()).end.how).toBe('timedOut')
  })

  it('ends when the command ends, though a child holds its output open', async () => {
    const it = begin(lease('sleep 30 & echo parent done'))
    const { end } = await it.end()
    expect(end.exitCode).toBe(0)
    expect(it.lines('a').join()).toContain('left processes behind')
  })

  it('says what cannot be started', async () => {
    const it = begin(lease('true', { folder: '/nowhere/at/all' }))
    expect((await it.end()).end).toMatchObject({
      how: 'couldNotStart',
      detail: 'The working folder /nowhere/at/all does not exist on this machine.',
    })
  })

  it('keeps no more output than it may, but goes on to the end', async () => {
    const it = begin(lease('seq 1 100000; exit 4', { maxOutputBytes: 10_000 }))
    const ended = await it.end()
    expect(ended.outputCut).toBe(true)
    expect(ended.end.exitCode).toBe(4)
    expect(it.lines('a').join()).toContain('the rest is not kept')
  })

  it('looks for patterns in all of the output', async () => {
    const it = begin(
      lease('echo all done; echo oops 7', {
        must: { text: 'all done', regex: false },
        mustNot: { text: '^oops \\d', regex: true },
      }),
    )
    expect((await it.end()).end).toMatchObject({ sawMust: true, sawMustNot: true, mustNotLine: 'oops 7' })
  })

  it.each([
    ['sh', 'echo ${who}', 'Kelda  Quay'],
    ['bash', 'echo ${who} | tr a-z A-Z', 'KELDA  QUAY'],
    ['node', 'console.log(process.env.who)', 'Kelda  Quay'],
    ['python3', 'import os\nprint(os.environ["who"])', 'Kelda  Quay'],
  ] as const)('runs a script with %s', async (interpreter, script, out) => {
    const it = begin(lease('', { action: { kind: 'script', interpreter, script }, inputs: { who: 'Kelda  Quay' } }))
    await it.end()
    expect(it.lines()).toEqual([out])
  })
})

describe('an agent that was killed', () => {
  it('takes the command up again: output continues, the exit code is known, nothing twice', async () => {
    const first = begin(lease('for i in 1 2 3 4 5 6; do echo $i; sleep 0.1; done; exit 5'))
    await new Promise((resolve) => setTimeout(resolve, 250))
    // Half of what was made is acknowledged, then the process is gone.
    const sent = first.one.outbox.takeUnsent(2)
    first.reports.push(...sent)
    first.one.outbox.acked(sent.at(-1)?.seq ?? 0)
    first.one.leave()
    await new Promise((resolve) => setTimeout(resolve, 600))
    const again = Try.resume(join(dir, 'try'), hooks)
    if (!again) throw new Error('the attempt was not found again')
    const second = watch(again, first.reports)
    again.begin()
    expect((await second.end()).end.exitCode).toBe(5)
    expect(second.lines()).toEqual(['1', '2', '3', '4', '5', '6'])
    expect(second.reports.map((r) => r.seq)).toEqual(second.reports.map((_, i) => i + 1))
  })

  it('does not begin a command twice when it cannot tell whether it began', async () => {
    Try.take(lease('echo twice'), join(dir, 'try'), hooks).leave()
    writeFileSync(join(dir, 'try', 'out'), '')
    const again = watch(Try.resume(join(dir, 'try'), hooks) as Try)
    again.one.begin()
    expect((await again.end()).end).toMatchObject({ how: 'orphaned', exitCode: null })
  })

  it('begins what it had only written down', async () => {
    Try.take(lease('echo once'), join(dir, 'try'), hooks).leave()
    const again = watch(Try.resume(join(dir, 'try'), hooks) as Try)
    again.one.begin()
    expect((await again.end()).end.exitCode).toBe(0)
    expect(again.lines()).toEqual(['once'])
  })

  it('survives a journal cut off in the middle of a line', async () => {
    const first = begin(lease('echo one; sleep 0.3; echo two'))
    await new Promise((resolve) => setTimeout(resolve, 150))
    first.one.leave()
    appendFileSync(join(dir, 'try', 'reports.ndjson'), '{"report":{"attempt":7,"tok')
    await new Promise((resolve) => setTimeout(resolve, 400))
    const again = watch(Try.resume(join(dir, 'try'), hooks) as Try)
    again.one.begin()
    await again.end()
    expect(again.lines()).toEqual(['one', 'two'])
  })
})

describe('what it hands on', () => {
  it('are the named values that it wrote down, the last of each, with secrets masked', async () => {
    const script = `printf '%s\\n' boats=2 'bad name=x' boats=3 "word=$word" 'note=a=b' 'Upper=x' >> "$BUGLE_OUTPUTS"`
    const { end } = begin(lease(script, { inputs: { word: 'kelp-and-tide' }, secrets: ['word'] }))
    expect((await end()).outputs).toEqual({ boats: '3', word: '****', note: 'a=b' })
  })
})

const isRoot = process.getuid?.() === 0
;(isRoot ? describe : describe.skip)('under another account of the machine', () => {
  it('runs as that account, which can hand values on but not read what is the agent’s', async () => {
    const script = `id -un; echo "who=$(id -un)" >> "$BUGLE_OUTPUTS"; cat "${dir}/try/lease.json" > /dev/null 2>&1 && echo "could read"`
    const action = { kind: 'script' as const, interpreter: 'sh' as const, script }
    const { end, lines, reports } = begin(lease('', { action, runAs: 'nobody', folder: '/' }))
    expect((await end()).outputs).toEqual({ who: 'nobody' })
    expect(lines('o')).toEqual(['nobody'])
    expect(reports[0]?.body).toMatchObject({ kind: 'started', ran: { user: 'nobody' } })
  })

  it('says that there is no such account', async () => {
    const { end } = begin(lease('true', { runAs: 'no-such-account' }))
    expect((await end()).end).toMatchObject({
      how: 'couldNotStart',
      detail: 'This machine has no account no-such-account.',
    })
  })
})
