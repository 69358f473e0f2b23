// What a run of the tests starts, marked so that the next run can end what a killed one left behind.
import { chmodSync, existsSync, mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'

const read = (path) => {
  try {
    return readFileSync(path, 'utf8')
  } catch {
    // It has ended, or is not ours to see.
    return ''
  }
}

/** When the process began, in ticks since the machine did: a number that was given again is another process (proc(5), field 22). */
const beganAt = (pid) => read(`/proc/${pid}/stat`).split(') ').at(-1)?.split(' ')[19] ?? ''

/** Kills every process that names the folder in its environment or its arguments, until none is left. */
function endAllOf(folder) {
  for (let look = 0; look < 20; look++) {
    const left = readdirSync('/proc').filter(
      (pid) =>
        /^\d+$/.test(pid) &&
        Number(pid) !== process.pid &&
        (read(`/proc/${pid}/environ`).includes(folder) || read(`/proc/${pid}/cmdline`).includes(folder)),
    )
    if (left.length === 0) return
    for (const pid of left) {
      try {
        process.kill(Number(pid), 'SIGKILL')
      } catch {
        // It ended meanwhile.
      }
    }
  }
}

/**
 * A folder for this run: as the temporary folder of all that it starts, it marks them. What an earlier run of the file's list left is ended first, unless that run
 * still goes on. `end` takes the run from the list, and the folder away.
 */
export function beginTestRun(file) {
  const listed = existsSync(file) ? JSON.parse(read(file) || '[]') : []
  const going = listed.filter(({ pid, began }) => began !== '' && beganAt(pid) === began)
  for (const run of listed.filter((run) => !going.includes(run))) {
    endAllOf(run.folder)
    rmSync(run.folder, { recursive: true, force: true })
  }
  const folder = mkdtempSync(join(tmpdir(), 'bugle-test-'))
  // Jobs of the tests run under other accounts too, in folders below it.
  chmodSync(folder, 0o711)
  writeFileSync(file, JSON.stringify([...going, { pid: process.pid, began: beganAt(process.pid), folder }]))
  return {
    folder,
    end: () => {
      endAllOf(folder)
      rmSync(folder, { recursive: true, force: true })
      writeFileSync(file, JSON.stringify(JSON.parse(read(file) || '[]').filter((run) => run.folder !== folder)))
    },
  }
}
