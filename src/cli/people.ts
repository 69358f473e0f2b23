import type { Command } from 'commander'
import { rightsIn, sourceWords } from '@/core/people/rights'
import { checkRights } from '@/core/people/rights-file'
import { ask, withServer } from './remote'
import { BadInput } from './bad-input'
import { jsonOf, wordsOfFaults } from './file'

export const PEOPLE_COMMANDS = ['rights']

/** As many pairs of a person and an area are printed at once. */
const MOST_PAIRS = 1_000_000

interface Options {
  readonly server?: string
  readonly token?: string
  readonly person?: string
  readonly area?: string
}

/** Commands about people and what they may do. */
export function addPeopleCommands(program: Command, print: (value: unknown) => void): void {
  withServer(program.command('rights'))
    .argument('[file]', 'people, groups and areas with what is granted on them; without it those of a server')
    .option('--person <id>', 'of this person alone')
    .option('--area <id>', 'on this area alone')
    .description('says what each person may do on each area, and where each right comes from')
    .action(async (file: string | undefined, options: Options) => {
      if (file !== undefined && options.server !== undefined) throw new BadInput('Give a file or --server, not both.')
      if (file === undefined && !(options.server ?? process.env.BUGLE_SERVER))
        throw new BadInput('A file is missing; or --server URL, for the rights of a server.')
      const raw = file === undefined ? await ask(options, 'GET', '/rights') : jsonOf(file)
      print(rightsOf(raw, file === undefined ? 'on this server' : 'in this file', options))
    })
}

function rightsOf(raw: unknown, where: string, { person, area }: Options): object {
  const checked = checkRights(raw)
  if (!checked.ok) throw new BadInput(wordsOfFaults(checked.faults))
  const { organisation } = checked
  const people = chosen(where, '--person', 'person', organisation.people, person)
  const areas = chosen(where, '--area', 'area', organisation.areas, area)
  if (people.length * areas.length > MOST_PAIRS)
    throw new BadInput(
      `These are ${people.length * areas.length} pairs of a person and an area; at most ${MOST_PAIRS.toLocaleString('en')} are printed. Choose with --person or --area.`,
    )
  const rights = rightsIn(organisation)
  return {
    rights: people.flatMap((who) =>
      areas.map((where) => {
        const { may, from } = rights(who.id, where.id)
        return { person: who.id, area: where.id, may, from: from.map((source) => sourceWords(source)) }
      }),
    ),
  }
}

function chosen<T extends { readonly id: string }>(
  where: string,
  option: string,
  word: string,
  list: readonly T[],
  id: string | undefined,
): readonly T[] {
  if (id === undefined) return list
  const found = list.filter((each) => each.id === id)
  if (found.length === 0) throw new BadInput(`${option}: There is no ${word} ${id} ${where}.`)
  return found
}
