import { spawn, spawnSync } from 'node:child_process'
import {
  chmodSync,
  chownSync,
  closeSync,
  existsSync,
  openSync,
  readdirSync,
  readFileSync,
  rmSync,
  statSync,
  writeFileSync,
} from 'node:fs'
import { homedir, tmpdir, userInfo } from 'node:os'
import { join } from 'node:path'
import { quoteReferences } from '@/core/work/command'
import { connectionWords } from '@/core/work/connections'
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
      // Another account cannot read what is the agent's: the script goes with the command.
      if (lease.runAs !== null) return withScript(interpreter, script, names)
      const file = join(folder, `script.${{ sh: 'sh', bash: 'bash', node: 'cjs', python3: 'py' }[interpreter]}`)
      const isShell = interpreter === 'sh' || interpreter === 'bash'
      writeFileSync(file, isShell ? quoteReferences(script, names) : script)
      chmodSync(file, 0o600)
      // The agent's own node, which need not be on the path.
      return [interpreter === 'node' ? process.execPath : interpreter, file]
    }
    case 'act': {
      const file = join(folder, 'action.json')
      writeFileSync(file, JSON.stringify(lease.action.of), { mode: 0o600 })
      return [process.execPath, process.argv[1] ?? '', 'act', file]
    }
    case 'wait':
      return ['sh', '-c', `echo "Waiting ${lease.action.seconds} s."; sleep ${lease.action.seconds}; echo "Done."`]
  }
}

/** Longer ones do not fit into one word of a command (execve(2): MAX_ARG_STRLEN). */
const MOST_SCRIPT = 100_000

function withScript(
  interpreter: Extract<Lease['action'], { kind: 'script' }>['interpreter'],
  script: string,
  names: ReadonlySet<string>,
): string[] {
  if (Buffer.byteLength(script) > MOST_SCRIPT)
    throw new Error('A script of more than 100 kB cannot run under another account: keep it in a file on the machine.')
  const isShell = interpreter === 'sh' || interpreter === 'bash'
  const program = interpreter === 'node' ? process.execPath : interpreter
  return [program, interpreter === 'node' ? '-e' : '-c', isShell ? quoteReferences(script, names) : script]
}

/** The number of an account of this machine; null: there is none. */
function uidOf(account: string): number | null {
  const { status, stdout } = spawnSync('id', ['-u', '--', account], { encoding: 'utf8' })
  return status === 0 ? Number(stdout) : null
}

/** The command under the account that the lease names. Only root may do that (runuser(1)). */
function underAccount(lease: Lease, argv: readonly string[]): readonly string[] {
  const { runAs } = lease
  if (runAs === null || runAs === userInfo().username) return argv
  if (process.getuid?.() !== 0)
    throw new Error(
      `This agent runs as ${userInfo().username} and may not run anything as ${runAs}. Run it as root, or as that account.`,
    )
  if (uidOf(runAs) === null) throw new Error(`This machine has no account ${runAs}.`)
  return ['runuser', '-u', runAs, '--', ...argv]
}

/** Where an attempt's command leaves named values: in its folder, or where its account can write. */
export const outputsFileOf = (lease: Lease, dir: string): string =>
  lease.runAs === null ? join(dir, 'outputs') : join(tmpdir(), `bugle-outputs-${lease.attempt}-${lease.token}`)

/** The file is made anew, never found: nobody else's file is written to. */
function makeOutputsFile(lease: Lease, dir: string): string {
  const file = outputsFileOf(lease, dir)
  rmSync(file, { force: true })
  closeSync(openSync(file, 'wx', 0o600))
  if (lease.runAs !== null && process.getuid?.() === 0) {
    const uid = uidOf(lease.runAs)
    if (uid !== null) chownSync(file, uid, process.getgid?.() ?? 0)
  }
  return file
}

/** What is about to run, with secrets masked. */
export function describeCommand(lease: Lease, dir: string): Omit<Started, 'pid' | 'startTicks'> {
  const own = { ...lease.environment, ...lease.inputs }
  const masked = Object.entries(own).map(([name, value]) => [name, lease.secrets.includes(name) ? MASK : value])
  return {
    argv:
      lease.action.kind === 'act'
        ? ['bugle-agent', 'act', lease.action.of.kind, connectionWords(lease.action.of)]
        : commandOf(lease, dir),
    environment: Object.fromEntries(masked) as Record<string, string>,
    folder: lease.folder ?? homedir(),
    user: lease.runAs ?? userInfo().username,
  }
}

/** Starts the command in a process group of its own, its output going straight to files. Throws what a person can act on. */
export function startCommand(lease: Lease, dir: string, onExit: (signal: NodeJS.Signals | null) => void): Started {
  const described = describeCommand(lease, dir)
  const { folder } = described
  const argv = underAccount(lease, lease.action.kind === 'act' ? commandOf(lease, dir) : described.argv)
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
        BUGLE_OUTPUTS: makeOutputsFile(lease, dir),
        ...(lease.action.kind === 'act'
          ? { BUGLE_FAULT: join(dir, 'fault'), BUGLE_INPUTS: Object.keys(lease.inputs).join(',') }
          : {}),
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
