import { spawn } from 'node:child_process'
import { chmodSync, closeSync, existsSync, openSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs'
import { homedir, userInfo } from 'node:os'
import { join } from 'node:path'
import { quoteReferences } from '@/core/work/command'
import { MASK } from '@/core/run/mask'
import type { Lease } from './protocol'

/**
 * Runs the command and writes its exit code beside its output. It stands between agent and command so that the command survives the agent, and its end is known also to
 * an agent that was killed and started again. A signal to the group reaches the command too; the trap only keeps this shell alive long enough to
 * write the code down (a trap with a command is reset in children: POSIX.1-2017, XCU 2.11).
 */
const SUPERVISOR = `exit_file=$1
shift
trap : TERM INT HUP
"$@"
code=$?
printf '%s' "$code" > "$exit_file.part" && mv "$exit_file.part" "$exit_file"`

export interface Started {
  readonly pid: number
  readonly startTicks: string | null
  readonly argv: readonly string[]
  readonly folder: string
  readonly environment: Readonly<Record<string, string>>
  readonly user: string
}

/** What the command is, as words; a script is written into the attempt's folder first. */
export function commandOf(lease: Lease, folder: string): string[] {
  const names = new Set(Object.keys(lease.inputs))
  switch (lease.action.kind) {
    case 'command':
      return ['sh', '-c', quoteReferences(lease.action.command, names)]
    case 'script': {
      const { interpreter, script } = lease.action
      const file = join(folder, `script.${{ sh: 'sh', bash: 'bash', node: 'cjs', python3: 'py' }[interpreter]}`)
      const isShell = interpreter === 'sh' || interpreter === 'bash'
      writeFileSync(file, isShell ? quoteReferences(script, names) : script)
      chmodSync(file, 0o600)
      // The agent's own node, which need not be on the path.
      return [interpreter === 'node' ? process.execPath : interpreter, file]
    }
    case 'wait':
      return ['sh', '-c', `echo "Waiting ${lease.action.seconds} s."; sleep ${lease.action.seconds}; echo "Done."`]
  }
}

/** What is about to run, with secrets masked. */
export function describeCommand(lease: Lease, dir: string): Omit<Started, 'pid' | 'startTicks'> {
  const own = { ...lease.environment, ...lease.inputs }
  const masked = Object.entries(own).map(([name, value]) => [name, lease.secrets.includes(name) ? MASK : value])
  return {
    argv: commandOf(lease, dir),
    environment: Object.fromEntries(masked) as Record<string, string>,
    folder: lease.folder ?? homedir(),
    user: userInfo().username,
  }
}

/** Starts the command in a process group of its own, its output going straight to files. Throws what a person can act on. */
export function startCommand(lease: Lease, dir: string, onExit: (signal: NodeJS.Signals | null) => void): Started {
  const described = describeCommand(lease, dir)
  const { folder, argv } = described
  if (!existsSync(folder) || !statSync(folder).isDirectory())
    throw new Error(`The working folder ${folder} does not exist on this machine.`)
  const out = openSync(join(dir, 'out'), 'a', 0o600)
  const err = openSync(join(dir, 'err'), 'a', 0o600)
  try {
    const child = spawn('sh', ['-c', SUPERVISOR, 'bugle', join(dir, 'exit'), ...argv], {
      cwd: folder,
      env: {
        ...inherited(),
        ...lease.environment,
        ...lease.inputs,
        BUGLE_RUN: String(lease.run),
        BUGLE_TRY: String(lease.try),
      } as unknown as NodeJS.ProcessEnv,
      stdio: ['ignore', out, err],
      detached: true,
    })
    child.on('error', () => undefined)
    child.on('exit', (_code, signal) => onExit(signal))
    child.unref()
    if (child.pid === undefined) throw new Error('The operating system could not start another process.')
    return { pid: child.pid, startTicks: startTicksOf(child.pid), ...described }
  } finally {
    closeSync(out)
    closeSync(err)
  }
}

/** The agent's own settings do not leak into the work. */
function inherited(): Record<string, string | undefined> {
  return Object.fromEntries(Object.entries(process.env).filter(([name]) => !name.startsWith('BUGLE_')))
}

/** When a process started, in clock ticks since boot: with the pid it names one process for ever (proc(5)). Null where there is no /proc. */
export function startTicksOf(pid: number): string | null {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8')
    // The name in parentheses may hold anything; the fields after it begin with the third.
    return stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19] ?? null
  } catch {
    return null
  }
}

/** Whether the supervisor of this attempt still runs, and is not another process that got its number. A zombie has ended. */
export function isAlive(pid: number, startTicks: string | null): boolean {
  try {
    process.kill(pid, 0)
  } catch {
    return false
  }
  if (startTicks === null) return true
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, 'utf8')
    const fields = stat.slice(stat.lastIndexOf(')') + 2).split(' ')
    return fields[0] !== 'Z' && fields[19] === startTicks
  } catch {
    return false
  }
}

/** Signals the whole group; false if there is none any more. */
export function signalGroup(pid: number, signal: NodeJS.Signals): boolean {
  try {
    process.kill(-pid, signal)
    return true
  } catch {
    return false
  }
}

/** The supervisor of the attempt in this folder, found by its arguments: for when the agent was killed before it could write the number down. */
export function findSupervisor(dir: string): number | null {
  const mark = `\0${join(dir, 'exit')}\0`
  try {
    for (const name of readdirSync('/proc')) {
      if (!/^\d+$/.test(name)) continue
      try {
        if (readFileSync(`/proc/${name}/cmdline`, 'utf8').includes(mark)) return Number(name)
      } catch {
        // It ended while we looked.
      }
    }
  } catch {
    // No /proc on this system.
  }
  return null
}
