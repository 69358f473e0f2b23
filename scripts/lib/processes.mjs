// Child processes that belong together: started with a name, ended together, never left behind.
import { spawn } from 'node:child_process'
import { existsSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { createServer } from 'node:net'
import { createInterface } from 'node:readline'

/** The port, or the next one that is free. */
export async function freePort(wanted, onTaken = () => undefined) {
  for (let port = wanted; port < wanted + 200; port++) {
    const isFree = await new Promise((resolve) => {
      const probe = createServer()
      probe.once('error', () => resolve(false))
      probe.listen(port, () => probe.close(() => resolve(true)))
    })
    if (isFree) {
      if (port !== wanted) onTaken(port)
      return port
    }
  }
  throw new Error(`No free port from ${wanted} on.`)
}

export class Processes {
  #children = []
  #stopping = false

  /** Where the numbers of running processes are written, so that a start after a kill can end what was left. */
  constructor(pidFile) {
    this.pidFile = pidFile
    this.#endLeftOvers()
  }

  #endLeftOvers() {
    if (!this.pidFile || !existsSync(this.pidFile)) return
    for (const { pid, mark } of JSON.parse(readFileSync(this.pidFile, 'utf8'))) {
      try {
        if (readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes(mark)) process.kill(-pid, 'SIGKILL')
      } catch {
        // It is gone.
      }
    }
    rmSync(this.pidFile)
  }

  /** `file` is run by this Node; each line of its output goes to `onLine`. */
  start(name, file, args, { env = {}, onLine = () => undefined, onExit = () => undefined, cwd } = {}) {
    const child = spawn(process.execPath, ['--enable-source-maps', file, ...args], {
      env: { ...process.env, ...env },
      stdio: ['ignore', 'pipe', 'pipe'],
      detached: true,
      cwd,
    })
    for (const stream of [child.stdout, child.stderr]) createInterface({ input: stream }).on('line', onLine)
    const ended = new Promise((resolve) => child.once('exit', resolve))
    const entry = { name, child, ended, mark: file }
    this.#children.push(entry)
    void ended.then((code) => {
      this.#children = this.#children.filter((other) => other !== entry)
      if (!this.#stopping) onExit(code)
    })
    this.#note()
    return {
      child,
      ended,
      signal: (signal) => {
        try {
          process.kill(-child.pid, signal)
        } catch {
          // It is gone.
        }
      },
    }
  }

  /**
   * As start, and again whenever it ends: after a pause that doubles from 1 s to a minute, and is short again once it has lived for a minute. `onEnded` hears how it
   * ended and when the next one comes; exit code 78 (EX_CONFIG of sysexits.h) says that no other start would do better: `onExit`, and no other start.
   */
  keep(name, file, args, { onEnded, onExit = () => undefined, ...options }, pause = 1000) {
    const began = Date.now()
    this.start(name, file, args, {
      ...options,
      onExit: (code) => {
        if (code === 78) return onExit(code)
        const wait = Date.now() - began > 60_000 ? 1000 : pause
        onEnded(code, wait)
        setTimeout(() => {
          if (!this.#stopping) this.keep(name, file, args, { onEnded, onExit, ...options }, Math.min(wait * 2, 60_000))
        }, wait)
      },
    })
  }

  #note() {
    if (this.pidFile)
      writeFileSync(this.pidFile, JSON.stringify(this.#children.map(({ child, mark }) => ({ pid: child.pid, mark }))))
  }

  /** Politely, last started first; what has not ended after 10 s is killed. */
  async stopAll() {
    this.#stopping = true
    for (const { child, ended } of [...this.#children].reverse()) {
      const signal = (name) => {
        try {
          process.kill(-child.pid, name)
        } catch {
          // It is gone.
        }
      }
      signal('SIGTERM')
      const timer = setTimeout(() => signal('SIGKILL'), 10_000)
      await ended
      clearTimeout(timer)
    }
    if (this.pidFile) rmSync(this.pidFile, { force: true })
  }
}

/** Waits until the address answers. */
export async function untilUp(url, seconds = 60) {
  for (let i = 0; i < seconds * 10; i++) {
    try {
      const response = await fetch(url)
      if (response.status < 500) return
    } catch {
      // Not yet.
    }
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
  throw new Error(`${url} did not answer within ${seconds} s.`)
}
