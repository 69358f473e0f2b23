/** What a run was, as far as two can be compared by it. Maps by name; of secrets nothing. */
export interface ComparedRun {
  readonly version: number
  readonly inputs: Readonly<Record<string, string>>
  readonly machine: string | null
  readonly account: string | null
  readonly agentVersion: string | null
  readonly command: string | null
  readonly environment: Readonly<Record<string, string>>
  readonly folder: string | null
  readonly outputs: Readonly<Record<string, string>>
  readonly startedBy: string
  readonly attempts: number
  readonly exitCode: number | null
  readonly lengthMs: number | null
}

/** One thing that differs; null: it was not there. */
export interface FactDifference {
  readonly what: string
  readonly a: string | null
  readonly b: string | null
}

/** Lengths differ always: from here on it is worth a word. */
const LENGTH_FACTOR = 1.5
/** What differs in every process, whatever is done in it. */
const PASSING = new Set(['BUGLE_RUN', 'BUGLE_TRY', 'BUGLE_OUTPUTS', 'BUGLE_ITEMS', 'TMPDIR'])

const seconds = (ms: number): string => `${(ms / 1000).toFixed(1)} s`
const MOST_VALUE = 300

const cut = (value: string | null): string | null =>
  value !== null && value.length > MOST_VALUE ? `${value.slice(0, MOST_VALUE)}…` : value

/** What else differs between two runs than their output; in the order in which it is likely to matter.*/
export function factsThatDiffer(a: ComparedRun, b: ComparedRun): FactDifference[] {
  const found: FactDifference[] = []
  const add = (what: string, one: string | number | null, other: string | number | null): void => {
    if (one !== other)
      found.push({ what, a: cut(one === null ? null : String(one)), b: cut(other === null ? null : String(other)) })
  }
  const addMap = (
    kind: string,
    one: Readonly<Record<string, string>>,
    other: Readonly<Record<string, string>>,
    isLeftOut: (name: string) => boolean = () => false,
  ): void => {
    for (const name of [...new Set([...Object.keys(one), ...Object.keys(other)])].sort())
      if (!isLeftOut(name)) add(`${kind} ${name}`, one[name] ?? null, other[name] ?? null)
  }
  add('version of the job', a.version, b.version)
  addMap('input', a.inputs, b.inputs)
  add('machine', a.machine, b.machine)
  add('account', a.account, b.account)
  add('agent version', a.agentVersion, b.agentVersion)
  add('command', a.command, b.command)
  add('folder', a.folder, b.folder)
  addMap('environment', a.environment, b.environment, (name) => PASSING.has(name))
  add('exit code', a.exitCode, b.exitCode)
  addMap('handed on', a.outputs, b.outputs)
  add('started by', a.startedBy, b.startedBy)
  add('tries', a.attempts, b.attempts)
  if (a.lengthMs !== null && b.lengthMs !== null) {
    const [short, long] = [Math.min(a.lengthMs, b.lengthMs), Math.max(a.lengthMs, b.lengthMs)]
    if (long > LENGTH_FACTOR * short) add('took', seconds(a.lengthMs), seconds(b.lengthMs))
  }
  return found
}
