import fs from 'node:fs'
import { execFileSync, spawnSync } from 'node:child_process'
import {
  appendFileSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { LEASE } from './gateway.test-help'
import type { Lease, Report } from './protocol'
import { builtSupervisor } from './supervisor.test-help'
import { Supervisors } from './supervisors'
import { Attempt } from './attempt'

let dir: string
const attempts: Attempt[] = []

beforeEach(() => {
  dir = mkdtempSync(join(tmpdir(), 'bugle-try-'))
})
afterEach(() => {
  for (const one of attempts.splice(0)) one.abandon()
  rmSync(dir, { recursive: true, force: true })
})

function lease(command: string, change: Partial<Lease> = {}): Lease {
  return {
    ...LEASE,
    run: 18204,
    title: 'test',
    action: { kind: 'command', command },
    folder: tmpdir(),
    graceSeconds: 0.3,
    maxOutputBytes: 64 * 1024 * 1024,
    ...change,
  }
}

interface Watched {
  readonly one: Attempt
  readonly reports: Report[]
  readonly end: () => Promise<Extract<Report['body'], { kind: 'ended' }>>
  readonly lines: (stream?: string) => string[]
}

/** Begins a try and acknowledges everything at once, as a quick server would. */
function watch(one: Attempt, reports: Report[] = []): Watched {
  attempts.push(one)
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

const supervisors = new Supervisors(builtSupervisor())
const hooks = { now: Date.now, onReport: () => undefined, supervisors }
/** Supervisors that never come. */
const nobody = { ...hooks, supervisors: { begin: () => undefined } }
afterAll(() => supervisors.stop())
const begin = (what: Lease): Watched => {
  const one = Attempt.take(what, join(dir, 'try'), hooks)
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
      ran: { argv: ['/bin/sh', '-c', 'echo out; echo err >&2; exit 3'] },
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
    it.one.stop()
    const { end } = await it.end()
    expect(end.how).toBe('stopped')
    expect(it.lines('a').join()).toContain('SIGKILL')
  })

  it('enforces its time limit', async () => {
    const it = begin(lease('echo begun; sleep 60', { timeLimitSeconds: 0.3 }))
    expect((await it.end()).end.how).toBe('timedOut')
  })

  it('ends when the command ends, though a child holds its output open', async () => {
    // A shell’s child is called as the shell until it has become what it runs.
    const become = 'until grep -q sleep /proc/$!/comm; do sleep 0.01; done'
    const it = begin(lease(`sleep 30 & ${become}; echo parent done`))
    const { end } = await it.end()
    expect(end.exitCode).toBe(0)
    expect(it.lines('a').join()).toMatch(/left processes behind; they were ended: sleep \(\d+\)/)
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
    expect(it.lines('a').join()).toMatch(/\d+ bytes are left out here/)
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
    const again = Attempt.resume(join(dir, 'try'), hooks)
    if (!again) throw new Error('the attempt was not found again')
    const second = watch(again, first.reports)
    again.begin()
    expect((await second.end()).end.exitCode).toBe(5)
    expect(second.lines()).toEqual(['1', '2', '3', '4', '5', '6'])
    expect(second.reports.map((r) => r.seq)).toEqual(second.reports.map((_, i) => i + 1))
  })

  it('does not begin a command twice when it cannot tell whether it began', async () => {
    const first = Attempt.take(lease('echo twice'), join(dir, 'try'), nobody)
    first.begin()
    first.leave()
    writeFileSync(join(dir, 'try', 'begun'), JSON.stringify({ pid: 999_999_999, startTicks: '1' }))
    const again = watch(Attempt.resume(join(dir, 'try'), hooks) as Attempt)
    again.one.begin()
    expect((await again.end()).end).toMatchObject({ how: 'orphaned', exitCode: null })
    expect(again.lines()).toEqual([])
  })

  it('of two supervisors of one attempt lets one begin', async () => {
    const first = Attempt.take(lease('echo once >> counted; echo once', { folder: dir }), join(dir, 'try'), nobody)
    first.begin()
    first.leave()
    const supervise = (): Promise<void> => new Promise((resolve) => supervisors.begin(join(dir, 'try'), resolve))
    await Promise.all([supervise(), supervise(), supervise()])
    expect(readFileSync(join(dir, 'counted'), 'utf8')).toBe('once\n')
  })

  it('begins what it had only written down', async () => {
    Attempt.take(lease('echo once'), join(dir, 'try'), hooks).leave()
    const again = watch(Attempt.resume(join(dir, 'try'), hooks) as Attempt)
    again.one.begin()
    expect((await again.end()).end.exitCode).toBe(0)
    expect(again.lines()).toEqual(['once'])
  })

  it('begins what it had half written down', async () => {
    Attempt.take(lease('echo once'), join(dir, 'try'), hooks).leave()
    writeFileSync(join(dir, 'try', 'start.json'), '{"argv":["/bin/')
    const again = watch(Attempt.resume(join(dir, 'try'), hooks) as Attempt)
    again.one.begin()
    expect((await again.end()).end).toMatchObject({ how: 'exited', exitCode: 0 })
    expect(again.lines()).toEqual(['once'])
  })

  it('says so at once when nothing can be made ready for its command', async () => {
    const one = Attempt.take(lease('echo never'), join(dir, 'try'), hooks)
    mkdirSync(join(dir, 'try', 'pipe.out'))
    const { end, lines } = watch(one)
    one.begin()
    expect((await end()).end).toMatchObject({ how: 'couldNotStart', detail: expect.stringContaining('pipe.out') })
    expect(lines()).toEqual([])
  })

  it('is over when its supervisor is done with it and left no word, although that goes on with others', async () => {
    const one = Attempt.take(lease('echo never'), join(dir, 'try'), hooks)
    mkdirSync(join(dir, 'try', 'exit'))
    const { end, lines } = watch(one)
    one.begin()
    expect((await end()).end).toMatchObject({ how: 'orphaned', detail: expect.stringContaining('before it said') })
    expect(lines()).toEqual([])
    const next = watch(Attempt.take(lease('echo next'), join(dir, 'next'), hooks))
    next.one.begin()
    expect((await next.end()).end.exitCode).toBe(0)
  })

  it('survives a journal cut off in the middle of a line', async () => {
    const first = begin(lease('echo one; sleep 0.3; echo two'))
    await new Promise((resolve) => setTimeout(resolve, 150))
    first.one.leave()
    appendFileSync(join(dir, 'try', 'reports.ndjson'), '{"report":{"attempt":7,"tok')
    await new Promise((resolve) => setTimeout(resolve, 400))
    const again = watch(Attempt.resume(join(dir, 'try'), hooks) as Attempt)
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

/** Whether any process has this in its command. */
const isRunning = (what: string): boolean => spawnSync('pgrep', ['-f', what]).status === 0

describe('what a job prints', () => {
  it('ends at the limit, keeps its end, and costs the disk no more, however much it is', async () => {
    const it = begin(
      lease('yes 0123456789 | head -c 200000000; echo the last word; exit 6', { maxOutputBytes: 1024 * 1024 }),
    )
    const ended = await it.end()
    expect(ended.end.exitCode).toBe(6)
    expect(it.lines().at(-1)).toMatch(/the last word$/)
    const gap = Number(/(\d+) bytes are left out/.exec(it.lines('a').join())?.[1])
    const kept = it.reports.reduce(
      (sum, { body }) =>
        sum +
        (body.kind === 'output'
          ? body.lines.reduce((s, [, stream, text]) => s + (stream === 'a' ? 0 : text.length + 1), 0)
          : 0),
      0,
    )
    expect(kept).toBeLessThan(1.5 * 1024 * 1024)
    expect(Math.abs(kept + gap - 200_000_014)).toBeLessThan(3)
    expect(statSync(join(dir, 'try', 'output')).size).toBeLessThan(1.5 * 1024 * 1024)
  })

  it('is looked at for patterns beyond the limit too: the limit changes no outcome', async () => {
    const it = begin(
      lease('seq 1 30000; echo needle; seq 1 90000; echo oops; seq 1 90000', {
        maxOutputBytes: 10_000,
        must: { text: 'needle', regex: false },
        mustNot: { text: '^oops$', regex: true },
      }),
    )
    expect((await it.end()).end).toMatchObject({ sawMust: true, sawMustNot: true, mustNotLine: 'oops' })
  })

  it('without end is stopped by its time limit all the same', async () => {
    const it = begin(lease('yes', { maxOutputBytes: 10_000, timeLimitSeconds: 0.5 }))
    expect((await it.end()).end.how).toBe('timedOut')
  })

  it('has the instant at which it arrived, also while no agent was there to read it', async () => {
    const first = begin(lease('echo one; sleep 0.6; echo two'))
    first.one.leave()
    await new Promise((resolve) => setTimeout(resolve, 1200))
    const again = watch(Attempt.resume(join(dir, 'try'), hooks) as Attempt)
    again.one.begin()
    await again.end()
    const at = again.reports.flatMap(({ body }) =>
      body.kind === 'output' ? body.lines.filter(([, stream]) => stream === 'o').map(([ms]) => ms) : [],
    )
    expect((at[1] ?? 0) - (at[0] ?? 0)).toBeGreaterThan(400)
  })

  it('on one line that is very long is told in pieces that say that they go on', async () => {
    const it = begin(lease('head -c 40000 /dev/zero | tr "\\0" x; echo; echo next'))
    await it.end()
    const all = it.reports.flatMap(({ body }) => (body.kind === 'output' ? body.lines : []))
    expect(all.map(([, , text, goesOn]) => [text.length, goesOn])).toEqual([
      [16_384, 1],
      [16_384, 1],
      [7_232, undefined],
      [4, undefined],
    ])
  })

  it('can be opened again by the command itself', async () => {
    const it = begin(lease('echo once > /dev/stdout; echo twice > /dev/stderr'))
    await it.end()
    expect([it.lines('o'), it.lines('e')]).toEqual([['once'], ['twice']])
  })
})

describe('a job that goes away from its group', () => {
  it('is found, ended with the run, and told', async () => {
    const it = begin(lease('setsid sleep 4711 & (setsid setsid sleep 4712 &); sleep 0.2; echo done'))
    expect((await it.end()).end.exitCode).toBe(0)
    expect(it.lines('a').join()).toMatch(/they were ended: .*sleep \(\d+\), sleep \(\d+\)/)
    expect(isRunning('sleep 471[12]')).toBe(false)
  })

  it('is ended by a stop and by an abandoned lease too', async () => {
    const stopped = begin(lease('setsid sleep 4713 & sleep 4714'))
    while (!isRunning('sleep 4713')) await new Promise((resolve) => setTimeout(resolve, 20))
    stopped.one.stop()
    expect((await stopped.end()).end.how).toBe('stopped')
    expect(isRunning('sleep 471[34]')).toBe(false)
    const other = Attempt.take(lease('setsid sleep 4715 & sleep 4716'), join(dir, 'other'), hooks)
    other.begin()
    while (!isRunning('sleep 4715')) await new Promise((resolve) => setTimeout(resolve, 20))
    other.abandon()
    for (let i = 0; i < 100 && isRunning('sleep 471[56]'); i++) await new Promise((resolve) => setTimeout(resolve, 20))
    expect(isRunning('sleep 471[56]')).toBe(false)
    expect(existsSync(join(dir, 'other'))).toBe(false)
  })

  it('may go on where its job says so', async () => {
    const it = begin(lease('setsid sleep 4717 & sleep 0.1', { mayLeave: true }))
    await it.end()
    expect(it.lines('a').join()).toContain('they go on')
    expect(isRunning('sleep 4717')).toBe(true)
    spawnSync('pkill', ['-f', 'sleep 4717'])
  })
})

describe('a job’s environment', () => {
  it('reaches its own command, and nothing that runs before it or as the agent', async () => {
    writeFileSync(
      join(dir, 'hook.cjs'),
      `require('fs').appendFileSync(${JSON.stringify(join(dir, 'hooked'))}, process.argv.join(' ') + '\\n')`,
    )
    const it = begin(
      lease('echo "$NODE_OPTIONS"', {
        environment: {
          NODE_OPTIONS: `--require ${join(dir, 'hook.cjs')}`,
          PATH: '/nowhere',
          BASH_ENV: '/nowhere',
          LD_PRELOAD: '',
        },
      }),
    )
    await it.end()
    expect(it.lines()).toEqual([`--require ${join(dir, 'hook.cjs')}`])
    expect(existsSync(join(dir, 'hooked'))).toBe(false)
  })

  it('has of the agent’s own only a short list', async () => {
    process.env.NPM_TOKEN_OF_THE_AGENT = 'not for jobs'
    try {
      const it = begin(lease('env'))
      await it.end()
      const names = it.lines().map((line) => line.split('=')[0])
      expect(names).not.toContain('NPM_TOKEN_OF_THE_AGENT')
      expect(names).toEqual(expect.arrayContaining(['PATH', 'HOME', 'USER', 'BUGLE_RUN', 'BUGLE_TRY', 'BUGLE_OUTPUTS']))
    } finally {
      delete process.env.NPM_TOKEN_OF_THE_AGENT
    }
  })

  it('is not carried out as the agent where its job names an account and the lease says nobody', async () => {
    const { end } = begin(lease('echo as root', { account: 'harbour' }))
    expect((await end()).end).toMatchObject({
      how: 'couldNotStart',
      detail: expect.stringContaining('harbour') as string,
    })
  })
})

describe('what a job leaves where values are handed on', () => {
  it.each([
    ['a link to somebody’s file', 'rm -f "$BUGLE_OUTPUTS"; ln -s /etc/passwd "$BUGLE_OUTPUTS"'],
    ['a pipe that nobody writes to', 'rm -f "$BUGLE_OUTPUTS"; mkfifo "$BUGLE_OUTPUTS"'],
    ['a file of a terabyte', 'truncate -s 1T "$BUGLE_OUTPUTS"'],
    ['a second name', 'ln "$BUGLE_OUTPUTS" "$BUGLE_OUTPUTS.two"'],
    ['a device', 'rm -f "$BUGLE_OUTPUTS"; ln -s /dev/zero "$BUGLE_OUTPUTS"'],
  ])('is not followed, waited for, or read without end: %s', async (_, command) => {
    const { end } = begin(lease(command))
    const ended = await end()
    expect(ended.end.exitCode).toBe(0)
    expect(ended.outputs).toEqual({})
  })

  it('hangs no agent that is started again', async () => {
    const first = begin(lease('rm -f "$BUGLE_OUTPUTS"; mkfifo "$BUGLE_OUTPUTS"'))
    first.one.leave()
    await new Promise((resolve) => setTimeout(resolve, 800))
    const again = watch(Attempt.resume(join(dir, 'try'), hooks) as Attempt)
    again.one.begin()
    expect((await again.end()).end.exitCode).toBe(0)
  })
})
;(isRoot ? describe : describe.skip)('what another account may not do', () => {
  const asNobody = (script: string, change: Partial<Lease> = {}): Watched =>
    begin(
      lease('', {
        action: { kind: 'script', interpreter: 'sh', script },
        account: 'quay',
        runAs: 'nobody',
        folder: '/',
        ...change,
      }),
    )

  it('put something else in the place of the file for values', async () => {
    const it = asNobody(
      'rm -f "$BUGLE_OUTPUTS" 2>&1; ln -sf /etc/shadow "$BUGLE_OUTPUTS" 2>&1; echo boats=2 > "$BUGLE_OUTPUTS"; truncate -s 100G "$BUGLE_OUTPUTS"',
    )
    const ended = await it.end()
    expect(ended.outputs).toEqual({ boats: '2' })
    expect(readdirSync(tmpdir()).filter((name) => name.startsWith('bugle-outputs-')).length).toBeGreaterThan(0)
    it.one.forget()
  })

  it('run anything as the agent by way of its variables', async () => {
    const evil = join(tmpdir(), `evil-${process.pid}`)
    writeFileSync(evil, `#!/bin/sh\nid -un >> ${evil}.who\n`, { mode: 0o755 })
    execFileSync('chmod', ['755', evil])
    writeFileSync(`${evil}.who`, '', { mode: 0o666 })
    execFileSync('chmod', ['666', `${evil}.who`])
    const it = asNobody('id -un; runuser -u root -- id -un 2>/dev/null; echo "$ENV"', {
      environment: {
        ENV: evil,
        BASH_ENV: evil,
        PATH: `${tmpdir()}/bin-of-nobody:/usr/bin:/bin`,
        PYTHONSTARTUP: evil,
        SHELL: evil,
      },
    })
    await it.end()
    expect(it.lines()).toEqual(['nobody', evil])
    expect(readFileSync(`${evil}.who`, 'utf8')).not.toContain('root')
    expect(it.reports[0]?.body).toMatchObject({ ran: { user: 'nobody' } })
    rmSync(evil)
    rmSync(`${evil}.who`)
  })

  it('make its own output grow, or be read elsewhere', async () => {
    const it = asNobody('truncate -s 1T /proc/self/fd/1 2>/dev/null; echo fine')
    expect((await it.end()).end.exitCode).toBe(0)
    expect(it.lines()).toEqual(['fine'])
  })

  it('see the agent’s files, or its variables before it has changed', async () => {
    const it = asNobody(
      `ls ${dir} 2>/dev/null; cat /proc/$PPID/environ 2>/dev/null | tr '\\0' '\\n' | grep WORD; echo end`,
      {
        inputs: { word: 'kelp-and-tide' },
        secrets: ['word'],
      },
    )
    await it.end()
    expect(it.lines()).toEqual(['end'])
  })
})

describe('a full disk', () => {
  it('ends neither the agent nor the run: every report is told, though none can be kept', async () => {
    const write = jest.spyOn(fs, 'appendFileSync').mockImplementation(() => {
      throw Object.assign(new Error('no space left on device'), { code: 'ENOSPC' })
    })
    try {
      const it = begin(lease('echo one; echo two; exit 3'))
      const { end } = await it.end()
      expect(end).toMatchObject({ how: 'exited', exitCode: 3 })
      expect(it.lines('o')).toEqual(['one', 'two'])
      expect(it.reports.map(({ seq }) => seq)).toEqual(it.reports.map((_, i) => i + 1))
      expect(write).toHaveBeenCalled()
    } finally {
      write.mockRestore()
    }
  })
})
