import { spawn } from 'node:child_process'
import { existsSync, mkdtempSync, readFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

const begin = (file: string, then: string): string =>
  `import { beginTestRun } from '${process.cwd()}/scripts/lib/test-run.mjs'
   import { spawn } from 'node:child_process'
   const run = beginTestRun(${JSON.stringify(file)})
   ${then}`

/** Runs a program of Node's until it has said a line; the line. */
function untilItSays(source: string): Promise<{ line: string; kill: () => Promise<void> }> {
  return new Promise((resolve, reject) => {
    const child = spawn(process.execPath, ['--input-type=module', '-e', source], {
      stdio: ['ignore', 'pipe', 'inherit'],
    })
    const ended = new Promise<void>((done) => child.once('exit', () => done()))
    child.once('error', reject)
    child.stdout.once('data', (data) =>
      resolve({
        line: String(data).trim(),
        kill: async () => {
          child.kill('SIGKILL')
          await ended
        },
      }),
    )
  })
}

const isRunning = (pid: number): boolean =>
  existsSync(`/proc/${pid}/stat`) && !readFileSync(`/proc/${pid}/stat`, 'utf8').includes(') Z ')

describe('a run of the tests that was killed', () => {
  it('has what it left behind ended by the next one; one that still goes on is left alone', async () => {
    const file = join(mkdtempSync(join(tmpdir(), 'bugle-runs-')), 'runs.json')
    // A process of its own group, as the engines and agents of the real-process tests are.
    const leaves = `const left = spawn('sleep', ['600'], { env: { TMPDIR: run.folder }, detached: true, stdio: 'ignore' })
      console.log(left.pid, run.folder); setInterval(() => {}, 1000)`
    const killed = await untilItSays(begin(file, leaves))
    const going = await untilItSays(begin(file, leaves))
    const [left, folder] = killed.line.split(' ') as [string, string]
    const [kept] = going.line.split(' ')
    await killed.kill()
    expect(isRunning(Number(left))).toBe(true)

    const next = await untilItSays(begin(file, 'run.end(); console.log(run.folder)'))
    expect(isRunning(Number(left))).toBe(false)
    expect(existsSync(folder)).toBe(false)
    expect(existsSync(next.line)).toBe(false)
    expect(isRunning(Number(kept))).toBe(true)

    await going.kill()
    const last = await untilItSays(begin(file, 'run.end(); console.log(run.folder)'))
    expect(isRunning(Number(kept))).toBe(false)
    expect(JSON.parse(readFileSync(file, 'utf8'))).toEqual([])
    await last.kill()
  })
})
