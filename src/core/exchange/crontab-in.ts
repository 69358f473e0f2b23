import { slugOf } from '../schema/slug'
import { parseCron } from '../timing/cron'
import { isZoneName } from '../timing/zone'

/** What became of one line. */
interface CrontabLine {
  /** From 1. */
  readonly line: number
  readonly text: string
  readonly kind: 'trigger' | 'setting' | 'comment' | 'not carried'
  readonly says: string
}

interface CrontabJob {
  readonly id: string
  readonly title: string
  readonly command: string
  readonly environment: Readonly<Record<string, string>>
}

interface CrontabTrigger {
  readonly id: string
  readonly job: string
  readonly cron: string
  /** null: the zone of whoever takes it over. */
  readonly zone: string | null
  /** Line in the file, from 1. */
  readonly line: number
}

export interface CrontabIn {
  readonly jobs: readonly CrontabJob[]
  readonly triggers: readonly CrontabTrigger[]
  readonly lines: readonly CrontabLine[]
}

const NICKNAMES: Readonly<Record<string, string>> = {
  '@hourly': '0 * * * *',
  '@daily': '0 0 * * *',
  '@midnight': '0 0 * * *',
  '@weekly': '0 0 * * 0',
  '@monthly': '0 0 1 * *',
  '@yearly': '0 0 1 1 *',
  '@annually': '0 0 1 1 *',
}
/** The file as a whole is not read: it holds more than there may be. */
export class CrontabFault extends Error {}

const MOST_LINES = 20_000
const MOST_LINE_CHARACTERS = 8192
/** Settings that hold at one line, together. */
const MOST_SETTINGS_CHARACTERS = 16_384
/** All jobs together, each with its settings. */
const MOST_JOBS_CHARACTERS = 8 * 1024 * 1024

/**
 * Reads a crontab (POSIX crontab(1), and what cron on Debian adds: settings, nicknames, the user column of a system crontab) as jobs and triggers, with a report
 * line by line. Throws CrontabFault for one of more lines than are read, or whose settings make too much of it.
 */
export function readCrontab(text: string, kind: 'user' | 'system'): CrontabIn {
  const lines = text.split(/\r?\n/)
  if (lines.length > MOST_LINES + 1)
    throw new CrontabFault(
      `The crontab has ${lines.length.toLocaleString('en')} lines; at most ${MOST_LINES.toLocaleString('en')} are read at once. Divide it.`,
    )
  const reader = new Reader(kind)
  lines.forEach((line, i) => reader.read(line, i + 1))
  return reader.result()
}

class Reader {
  private readonly jobs = new Map<string, CrontabJob>()
  private readonly ids = new Set<string>()
  /** The number that a wanted id which was taken is tried with next. */
  private readonly nextNumber = new Map<string, number>()
  private readonly triggers: CrontabTrigger[] = []
  private readonly lines: CrontabLine[] = []
  private environment: Readonly<Record<string, string>> = {}
  private settingsCharacters = 0
  /** The settings as a key, worked out when a job needs it. */
  private environmentKey: string | null = null
  private jobsCharacters = 0
  private zone: string | null = null

  constructor(private readonly kind: 'user' | 'system') {}

  result(): CrontabIn {
    return { jobs: [...this.jobs.values()], triggers: this.triggers, lines: this.lines }
  }

  read(text: string, line: number): void {
    const say = (kind: CrontabLine['kind'], says: string): void => void this.lines.push({ line, text, kind, says })
    const trimmed = text.trim()
    if (trimmed === '') return
    if (text.length > MOST_LINE_CHARACTERS) {
      const shown = `${text.slice(0, 200)}…`
      return void this.lines.push({
        line,
        text: shown,
        kind: 'not carried',
        says: `A line has at most ${MOST_LINE_CHARACTERS} characters.`,
      })
    }
    if (trimmed.startsWith('#')) return say('comment', 'A comment.')
    const setting = /^([A-Za-z_]\w*|"[^"]*"|'[^']*')\s*=\s*(.*)$/.exec(trimmed)
    if (setting) return this.setting(unquoted(setting[1] as string), unquoted((setting[2] as string).trim()), say)
    const parts = /^(@\S+|(?:\S+\s+){4}\S+)\s+(.*)$/.exec(trimmed)
    if (!parts) return say('not carried', 'Five time fields and a command are expected.')
    const time = parts[1] as string
    const cron = time.startsWith('@') ? NICKNAMES[time.toLowerCase()] : time.replace(/\s+/g, ' ')
    if (cron === undefined)
      return say(
        'not carried',
        time.toLowerCase() === '@reboot'
          ? 'Bugle starts work at times, not when a machine starts.'
          : `There is no nickname ${time}.`,
      )
    const parsed = parseCron(cron)
    if (!parsed.ok) return say('not carried', parsed.fault)
    const rest = /^(\S+)\s+(.*)$/.exec(parts[2] as string)
    if (this.kind === 'system' && !rest)
      return say('not carried', 'In a system crontab a user stands before the command.')
    const user = this.kind === 'system' ? (rest?.[1] as string) : null
    const written = user === null ? (parts[2] as string) : (rest?.[2] as string)
    if (/(^|[^\\])%/.test(written))
      return say(
        'not carried',
        'The command has input after “%”. Put it into the command itself, as with a here-document, and write “\\%” for a percent sign.',
      )
    const job = this.job(written.replaceAll('\\%', '%'))
    const id = this.unusedId(job.id)
    this.triggers.push({ id, job: job.id, cron, zone: this.zone, line })
    say(
      'trigger',
      user === null
        ? `Starts ${job.title}.`
        : `Starts ${job.title}; it ran as ${user}, here it runs as the account of the agent.`,
    )
  }

  private setting(name: string, value: string, say: (kind: CrontabLine['kind'], says: string) => void): void {
    if (name === 'CRON_TZ' || name === 'TZ') {
      if (!isZoneName(value)) return say('not carried', `${value} is no IANA time zone.`)
      this.zone = value
      return say('setting', `The times below are those of ${value}.`)
    }
    if (name === 'MAILTO' || name === 'MAILFROM')
      return say('not carried', 'Output is kept with each run; who is told is not set by the crontab.')
    if (name === 'SHELL' && !/\/(sh|dash)$/.test(value))
      return say(
        'not carried',
        `Commands are run by sh, not by ${value}; make such a job a script with its interpreter.`,
      )
    if (name === 'SHELL') return say('setting', 'Commands are run by sh here too.')
    const before = Object.hasOwn(this.environment, name) ? name.length + (this.environment[name] ?? '').length : 0
    const characters = this.settingsCharacters - before + name.length + value.length
    if (characters > MOST_SETTINGS_CHARACTERS)
      return say('not carried', `Settings come to at most ${MOST_SETTINGS_CHARACTERS} characters together.`)
    this.settingsCharacters = characters
    this.environment = { ...this.environment, [name]: value }
    this.environmentKey = null
    say('setting', `${name} becomes part of the environment of the jobs below.`)
  }

  /** Equal commands with equal settings are one job. */
  private job(command: string): CrontabJob {
    this.environmentKey ??= JSON.stringify(this.environment)
    const key = `${this.environmentKey}\n${command}`
    const known = this.jobs.get(key)
    if (known) return known
    this.jobsCharacters += key.length
    if (this.jobsCharacters > MOST_JOBS_CHARACTERS)
      throw new CrontabFault(
        'The jobs of this crontab, each with its settings, come to more than 8 million characters. Divide it.',
      )
    const title = titleOf(command)
    const job = { id: this.unusedId(slugOf(title)), title, command, environment: this.environment }
    this.jobs.set(key, job)
    return job
  }

  private unusedId(wanted: string): string {
    const begin = wanted.slice(0, 58)
    let id = wanted
    let n = this.nextNumber.get(begin) ?? 2
    for (; this.ids.has(id); n++) id = `${begin}-${n}`
    this.nextNumber.set(begin, n)
    this.ids.add(id)
    return id
  }
}

function unquoted(text: string): string {
  return /^(["']).*\1$/.test(text) && text.length > 1 ? text.slice(1, -1) : text
}

/** The command’s own name with its first words: what people call it by. */
function titleOf(command: string): string {
  const words = command.split(/\s+/).filter((word) => !/^\w+=/.test(word) && word !== 'cd' && !/^[&|;<>]+$/.test(word))
  const name = (words[0] ?? 'command').split('/').at(-1) as string
  return [name, ...words.slice(1, 4)].join(' ').slice(0, 80)
}
