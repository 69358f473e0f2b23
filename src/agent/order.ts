import { execFileSync } from 'node:child_process'
import { chmodSync, chownSync, closeSync, existsSync, mkdtempSync, openSync, statSync, writeFileSync } from 'node:fs'
import { homedir, tmpdir, userInfo } from 'node:os'
import { join } from 'node:path'
import type { Order } from '@/act/act'
import { quoteReferences, scriptText } from '@/core/work/command'
import { connectionWords } from '@/core/work/connections'
import { makeMask, MASK } from '@/core/run/mask'
import { makeItemFolder } from './item-door'
import type { Lease } from './protocol'
import { environmentOf, SHELL, type Account, type StartOrder } from './start-order'
import { writeWhole } from './whole-file'

/** What ran, as it is told: without secrets. */
export interface Described {
  readonly argv: readonly string[]
  readonly environment: Readonly<Record<string, string>>
  readonly folder: string
}

const INTERPRETER_FILES = { sh: 'sh', bash: 'bash', node: 'cjs', python3: 'py' } as const

/** What the command is, as words; a script is written into the attempt's folder first. */
function commandOf(lease: Lease, folder: string, door: string | null): string[] {
  const names = new Set(Object.keys(lease.inputs))
  switch (lease.action.kind) {
    case 'command':
      return [SHELL, '-c', quoteReferences(lease.action.command, names)]
    case 'script': {
      const { interpreter } = lease.action
      const text = scriptText(lease.action, names)
      // The agent's own node, which need not be on the path.
      const program = interpreter === 'node' ? process.execPath : interpreter === 'sh' ? SHELL : interpreter
      // Another account cannot read what is the agent's: the script goes with the command.
      if (lease.runAs !== null) return withScript(program, interpreter === 'node' ? '-e' : '-c', text)
      const file = join(folder, `script.${INTERPRETER_FILES[interpreter]}`)
      writeFileSync(file, text, { mode: 0o600 })
      return [program, file]
    }
    case 'act': {
      const file = join(folder, 'action.json')
      const order: Order = {
        action: lease.action.of,
        values: lease.inputs,
        account: lease.signIn,
        run: String(lease.run),
        attempt: String(lease.try),
        door,
        faultFile: join(folder, 'fault'),
      }
      writeFileSync(file, JSON.stringify(order), { mode: 0o600 })
      return [process.execPath, process.argv[1] ?? '', 'act', file]
    }
    case 'wait':
      return [SHELL, '-c', `echo "Waiting ${lease.action.seconds} s."; sleep ${lease.action.seconds}; echo "Done."`]
  }
}

/** Longer ones do not fit into one word of a command (execve(2): MAX_ARG_STRLEN). */
const MOST_SCRIPT = 100_000

function withScript(program: string, flag: string, script: string): string[] {
  if (Buffer.byteLength(script) > MOST_SCRIPT)
    throw new Error('A script of more than 100 kB cannot run under another account: keep it in a file on the machine.')
  return [program, flag, script]
}

/** The account that the lease names, as this machine knows it. Only root may run something as another (runuser(1)). */
function accountOf({ runAs, account, action }: Lease): Account | null {
  // The server never sends this; should it ever, nothing runs with the agent's own rights that was meant for somebody with fewer.
  if (account !== null && runAs === null && action.kind !== 'act')
    throw new Error(
      `The job names the account ${account}, and the lease says nobody: it is not carried out as the agent itself.`,
    )
  return runAs === null ? null : accountNamed(runAs)
}

/** An account of this machine under which this agent can run something; null: it is the agent's own. Throws why not. */
export function accountNamed(runAs: string): Account | null {
  if (runAs === userInfo().username) return null
  if (process.getuid?.() !== 0)
    throw new Error(
      `This agent runs as ${userInfo().username} and may not run anything as ${runAs}. Run it as root, or as that account.`,
    )
  const entry = passwdEntry(runAs)
  if (!entry) throw new Error(`This machine has no account ${runAs}.`)
  return entry
}

function passwdEntry(name: string): Account | null {
  try {
    const line = execFileSync('/usr/bin/getent', ['passwd', '--', name], {
      encoding: 'utf8',
      env: environmentOf({}),
      stdio: ['ignore', 'pipe', 'ignore'],
    })
    const [found = '', , uid = '', gid = '', , home = '', shell = ''] = line.trim().split(':')
    return uid === '' ? null : { name: found, uid: Number(uid), gid: Number(gid), home, shell: shell || SHELL }
  } catch {
    return null
  }
}

/**
 * Where an attempt's command leaves named values: in the attempt's folder or, for another account, in a folder of ours in which that account can write this one file and nothing else: it can put
 * nothing in its place.
 */
function makeOutputsFile(account: Account | null, dir: string): string {
  const folder = account === null ? dir : mkdtempSync(join(tmpdir(), 'bugle-outputs-'))
  const file = join(folder, 'outputs')
  closeSync(openSync(file, 'wx', 0o600))
  if (account !== null) {
    chownSync(file, account.uid, account.gid)
    chmodSync(folder, 0o711)
  }
  return file
}

/** What is about to run, with secrets masked. */
function describe(lease: Lease, argv: readonly string[]): Described {
  // A job's variables mean nothing to an action of ours, which has none of them.
  const own = lease.action.kind === 'act' ? lease.inputs : { ...lease.environment, ...lease.inputs }
  const mask = makeMask(lease.secrets.map((name) => lease.inputs[name] ?? ''))
  const masked = Object.entries(own).map(([name, value]) => [name, lease.secrets.includes(name) ? MASK : mask(value)])
  return {
    argv:
      lease.action.kind === 'act'
        ? ['bugle-agent', 'act', lease.action.of.kind, connectionWords(lease.action.of)]
        : argv.map(mask),
    environment: Object.fromEntries(masked) as Record<string, string>,
    folder: lease.folder ?? homedir(),
  }
}

/** Puts down everything that the supervisor needs. Throws what a person can act on. */
export function writeOrder(lease: Lease, dir: string, mark: string): { order: StartOrder; described: Described } {
  const account = accountOf(lease)
  const folder = lease.folder ?? account?.home ?? homedir()
  if (!existsSync(folder) || !statSync(folder).isDirectory())
    throw new Error(`The working folder ${folder} does not exist on this machine.`)
  const isAct = lease.action.kind === 'act'
  const items = lease.asksForItems ? makeItemFolder() : null
  const argv = commandOf(lease, dir, items?.socket ?? null)
  const outputsFile = makeOutputsFile(account, dir)
  const order: StartOrder = {
    argv,
    folder,
    environment: isAct
      ? {}
      : {
          ...lease.environment,
          ...lease.inputs,
          BUGLE_RUN: String(lease.run),
          BUGLE_TRY: String(lease.try),
          BUGLE_OUTPUTS: outputsFile,
          ...(lease.robot ? { BUGLE_ROBOT: lease.robot.name } : {}),
          ...(items ? { BUGLE_ITEMS: items.socket, BUGLE_AGENT: items.command } : {}),
        },
    account,
    isAct,
    outputsFile,
    itemsFolder: items?.folder ?? null,
    mark,
    timeLimitMs: lease.timeLimitSeconds === null ? null : lease.timeLimitSeconds * 1000,
    graceMs: lease.graceSeconds * 1000,
    maxOutputBytes: lease.maxOutputBytes,
    must: lease.must,
    mustNot: lease.mustNot,
    mayLeave: lease.mayLeave,
  }
  writeWhole(join(dir, 'start.json'), JSON.stringify(order))
  return { order, described: { ...describe(lease, argv), folder } }
}
