import { randomBytes } from 'node:crypto'
import { existsSync, writeFileSync } from 'node:fs'
import { createInterface } from 'node:readline/promises'
import type { Command } from 'commander'
import { z } from 'zod'
import { loadDemo } from '@/demo/load'
import { COMMAND_LINE } from '@/service/base/actor'
import { addEnrolmentKey } from '@/service/fleet/enrol'
import { listPools } from '@/service/fleet/fleet'
import { addPerson, changePerson, listPeople, personChangeSchema, personSchema } from '@/service/people/people'
import { sayRestored } from '@/service/runs/restored'
import { makeSetupCode } from '@/service/people/sign-in'
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
    .description('makes an administrator; asks for the password on standard input')
    .action(async (_create: string, options: { email: string; name: string }) => {
      const password = await askHidden('Password (at least 12 characters): ')
      const person = personSchema.parse({ ...options, role: 'administrator', password })
      print(await addPerson(COMMAND_LINE, person))
    })

  program
    .command('password')
    .requiredOption('--email <address>', 'whose')
    .description('sets a new password, asked for on standard input; sessions and tokens of that person end')
    .action(async ({ email }: { email: string }) => {
      const person = (await listPeople(COMMAND_LINE)).find((each) => each.email.toLowerCase() === email.toLowerCase())
      if (!person) throw new BadInput(`There is nobody with the address ${email}.`)
      const password = await askHidden('New password (at least 12 characters): ')
      await changePerson(COMMAND_LINE, person.id, personChangeSchema.parse({ password }))
      print({ changed: person.email })
    })

  program
    .command('restored')
    .description(
      'after a restore from a back-up: switches starts by triggers off until somebody has looked, and passes over numbers',
    )
    .action(async () => {
      await sayRestored()
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
    .description('prints a one-time code for making the first administrator on the sign-in page')
    .action(async () => print({ code: (await makeSetupCode()) ?? null }))

  program
    .command('enrolment-key')
    .option('--uses <n>', 'how many agents may use it', '1')
    .option('--minutes <n>', 'how long it is good', '60')
    .option('--slots <n>', 'slots of the agents', '2')
    .option('--pool <name>', 'pool they belong to')
    .description('prints a key for enrolling agents')
    .action(async (options: { uses: string; minutes: string; slots: string; pool?: string }) => {
      const pools = options.pool ? (await listPools(COMMAND_LINE)).filter((pool) => pool.name === options.pool) : []
      if (options.pool && pools.length === 0) throw new BadInput(`There is no pool ${options.pool}.`)
      const numbers = z
        .object({
          uses: z.coerce.number().int().positive(),
          minutes: z.coerce.number().int().positive(),
          slots: z.coerce.number().int().positive(),
        })
        .parse(options)
      print(await addEnrolmentKey(COMMAND_LINE, { ...numbers, labels: {}, poolIds: pools.map((pool) => pool.id) }))
    })

  program
    .command('demo')
    .argument('<file>', 'where to write what the stand-ins sign in with')
    .description('loads the demo into an empty database')
    .action(async (file: string) => {
      const secrets = await loadDemo(new Date())
      if (secrets) writeFileSync(file, JSON.stringify(secrets), { mode: 0o600 })
      print({ loaded: secrets !== null })
    })
}

export { closeDb } from '@/store/db'
