import type { Command } from 'commander'
import type { Comparison } from '@/service/runs/compare'
import { BadInput } from './bad-input'
import { ask, withServer } from './remote'

export const COMPARE_COMMANDS = ['compare']

interface Options {
  readonly server?: string
  readonly token?: string
  readonly off?: string[]
  readonly own?: string[]
  readonly around?: string
  readonly text?: true
}

export function addCompareCommand(program: Command, print: (value: unknown) => void): void {
  withServer(program.command('compare'))
    .argument('<a>', 'number of a run')
    .argument('<b>', 'number of another')
    .description('what the outputs of two runs have not in common, and what else was different')
    .option(
      '--off <mask...>',
      'what counts nevertheless: instants, durations, "run numbers", "process ids", "temporary names"',
    )
    .option('--own <expression...>', 'further regular expressions of what does not count')
    .option('--around <lines>', 'so many lines that are the same beside what differs (3)')
    .option('--text', 'as people read it, in place of JSON')
    .action(async (a: string, b: string, options: Options) => {
      const [one, other] = [a, b].map((run) => run.replace(/^#/, ''))
      if (![one, other].every((run) => /^[1-9]\d{0,14}$/.test(run ?? '')))
        throw new BadInput(`${a} and ${b} are not two numbers of runs.`)
      const query = new URLSearchParams({ a: one as string, b: other as string })
      if (options.off) query.set('off', options.off.join('\n'))
      if (options.own) query.set('own', options.own.join('\n'))
      if (options.around !== undefined) query.set('around', options.around)
      const found = (await ask(options, 'GET', `/runs/compare?${query}`)) as Comparison
      if (!options.text) return print(found)
      for (const line of comparisonInText(found)) console.log(line)
    })
}

const SIGNS = { same: ' ', 'taken away': '-', 'put in': '+' } as const

/** As people read it in a terminal: two heads, what else differs, then the lines. */
export function comparisonInText({ a, b, facts, stretches, takenAway, putIn, isCut }: Comparison): string[] {
  const head = (sign: string, run: Comparison['a']): string[] => [
    `${sign} #${run.id} ${run.title}, ${run.state}${run.startedAt ? `, ${run.startedAt}` : ''}`,
    ...(run.lacks === null ? [] : [`  ${run.lacks}`]),
  ]
  const value = (text: string | null): string => (text === null ? 'not there' : JSON.stringify(text))
  return [
    ...head('---', a),
    ...head('+++', b),
    ...facts.map((fact) => `${fact.what}: ${value(fact.a)} | ${value(fact.b)}`),
    '',
    ...stretches.flatMap(({ kind, lines, folded }) =>
      kind === 'folded' ? [`… ${folded} lines the same`] : lines.map(({ text }) => `${SIGNS[kind]} ${text}`),
    ),
    takenAway + putIn === 0
      ? 'The outputs are the same.'
      : `${takenAway} lines only in #${a.id}, ${putIn} only in #${b.id}${isCut ? '; not all of them are shown' : ''}`,
  ]
}
