import { randomBytes } from 'node:crypto'
import { existsSync, writeFileSync } from 'node:fs'
import { createInterface } from 'node:readline/promises'
import type { Command } from 'commander'
import { z } from 'zod'
import { loadWholeDemo } from '@/demo/whole'
import { COMMAND_LINE } from '@/service/base/actor'
import { addEnrolmentKey } from '@/service/fleet/enrol'
import { listPools } from '@/service/fleet/fleet'
import { listOrganisations, makeOrganisation, organisationSchema } from '@/service/organisations/organisations'
import { addServerAdministrator } from '@/service/people/server-administrators'
import { inOrganisation } from '@/store/organisation'
import { readOrganisations } from '@/store/organisations'
import { addPerson, changePerson, listPeople, personChangeSchema, personSchema } from '@/service/people/people'
import { sayRestored } from '@/service/runs/restored'
import { makeSetupCode } from '@/service/entry/set-up'
import { migrate } from '@/store/migrate'
import { settingsFaults } from '@/store/ready'
import { BadInput } from './bad-input'

async function askHidden(question: string): Promise<string> {
  // Piped input is taken as it is: `bugle admin create … < password-file`.
  const reader = createInterface({
    input: process.stdin,
    output: process.stdin.isTTY ? process.stderr : undefined,
    terminal: process.stdin.isTTY,
  })
  const answer = await reader.question(question)
  reader.close()
  return answer.trim()
}

const OF = ['--organisation <name>', 'of which organisation; without a word: the first'] as const
interface Of {
  readonly organisation?: string
}

/** Does it for the organisation of this name. */
async function inNamed<T>(name: string | undefined, work: () => Promise<T>): Promise<T> {
  const all = await readOrganisations()
  const found = name === undefined ? all[0] : all.find(({ title }) => title.toLowerCase() === name.toLowerCase())
  if (!found)
    throw new BadInput(`There is no organisation ${name} on this server: ${all.map(({ title }) => title).join(', ')}.`)
  return inOrganisation(found.id, work)
}

/** Commands of the machine that the server runs on: they reach its database. */
export function addServerCommands(program: Command, print: (value: unknown) => void): void {
  program
    .command('migrate')
    .description('brings the database’s schema up to date')
    .action(async () => print({ migrated: await migrate() }))

  program
    .command('key')
    .argument('<file>', 'where to write it')
    .description('makes the secret key file; keep it apart from the database')
    .action((file: string) => {
      if (existsSync(file)) throw new BadInput(`${file} exists already. A new key cannot open old secrets.`)
      writeFileSync(file, `${randomBytes(32).toString('hex')}\n`, { mode: 0o600, flag: 'wx' })
      print({ written: file })
    })

  program
    .command('admin')
    .argument('<create>', 'create')
    .requiredOption('--email <address>')
    .requiredOption('--name <name>')
    .option(...OF)
    .description('makes an administrator; asks for the password on standard input')
    .action(async (_create: string, { email, name, organisation }: { email: string; name: string } & Of) => {
      const password = await askHidden('Password (at least 12 characters): ')
      const person = personSchema.parse({ email, name, role: 'administrator', password })
      print(await inNamed(organisation, () => addPerson(COMMAND_LINE, person)))
    })

  program
    .command('password')
    .requiredOption('--email <address>', 'whose')
    .option(...OF)
    .description('sets a new password, asked for on standard input; sessions and tokens of that person end')
    .action(({ email, organisation }: { email: string } & Of) =>
      inNamed(organisation, async () => {
        const person = (await listPeople(COMMAND_LINE)).find((each) => each.email.toLowerCase() === email.toLowerCase())
        if (!person) throw new BadInput(`There is nobody with the address ${email}.`)
        const password = await askHidden('New password (at least 12 characters): ')
        await changePerson(COMMAND_LINE, person.id, personChangeSchema.parse({ password }))
        print({ changed: person.email })
      }),
    )

  program
    .command('restored')
    .description(
      'after a restore from a back-up: switches starts by triggers off until somebody has looked, and passes over numbers',
    )
    .action(async () => {
      // The back-up was of all of them.
      for (const { id } of await readOrganisations()) await inOrganisation(id, sayRestored)
      print({ starts: 'off' })
    })

  program
    .command('settings')
    .argument('[part]', 'web or engine', 'engine')
    .description('checks the settings in the environment, all at once')
    .action((part: string) => {
      if (part !== 'web' && part !== 'engine') throw new BadInput(`There is web, and engine; not “${part}”.`)
      const faults = settingsFaults(part)
      if (faults.length > 0) throw new BadInput(`The settings are not right:\n  ${faults.join('\n  ')}`)
      print({ ok: true })
    })

  program
    .command('setup-code')
    .option(...OF)
    .description('prints a one-time code for making the first administrator on the sign-in page')
    .action(({ organisation }: Of) =>
      inNamed(organisation, async () => print({ code: (await makeSetupCode()) ?? null })),
    )

  program
    .command('organisations')
    .description('lists the organisations of this server')
    .action(async () => print(await listOrganisations(COMMAND_LINE)))

  program
    .command('organisation')
    .argument('<make>', 'make')
    .requiredOption('--name <name>')
    .description('makes an organisation, strictly apart from all others; prints the code of its first administrator')
    .action(async (_make: string, { name }: { name: string }) =>
      print(await makeOrganisation(COMMAND_LINE, organisationSchema.parse({ title: name }))),
    )

  program
    .command('server-administrator')
    .requiredOption('--email <address>', 'an administrator of the organisation')
    .option(...OF)
    .description('lets somebody look after the organisations of this server')
    .action(({ email, organisation }: { email: string } & Of) =>
      inNamed(organisation, async () => {
        const person = (await listPeople(COMMAND_LINE)).find((each) => each.email.toLowerCase() === email.toLowerCase())
        if (!person) throw new BadInput(`There is nobody with the address ${email}.`)
        await addServerAdministrator(COMMAND_LINE, { personId: person.id })
        print({ added: person.email })
      }),
    )

  program
    .command('enrolment-key')
    .option('--uses <n>', 'how many agents may use it', '1')
    .option('--minutes <n>', 'how long it is good', '60')
    .option('--slots <n>', 'slots of the agents', '2')
    .option('--pool <name>', 'pool they belong to')
    .option(...OF)
    .description('prints a key for enrolling agents')
    .action((options: { uses: string; minutes: string; slots: string; pool?: string } & Of) =>
      inNamed(options.organisation, async () => {
        const pools = options.pool ? (await listPools(COMMAND_LINE)).filter((pool) => pool.name === options.pool) : []
        if (options.pool && pools.length === 0) throw new BadInput(`There is no pool ${options.pool}.`)
        const numbers = z
          .object({
            uses: z.coerce.number().int().positive(),
            minutes: z.coerce.number().int().positive(),
            slots: z.coerce.number().int().positive(),
          })
          .parse(options)
        const poolIds = pools.map((pool) => pool.id)
        print(await addEnrolmentKey(COMMAND_LINE, { ...numbers, labels: {}, poolIds, robots: [] }))
      }),
    )

  program
    .command('demo')
    .argument('<file>', 'where to write what the stand-ins sign in with')
    .description('loads the demo into an empty database')
    .action(async (file: string) => {
      const secrets = await loadWholeDemo(new Date())
      if (secrets) writeFileSync(file, JSON.stringify(secrets), { mode: 0o600 })
      print({ loaded: secrets !== null })
    })
}

export { closeDb } from '@/store/db'
