import { readFileSync, writeFileSync } from 'node:fs'
import type { Command } from 'commander'
import { BadInput } from './bad-input'

export const REMOTE_COMMANDS = ['import', 'export']

interface Options {
  readonly server?: string
  readonly token?: string
  readonly dryRun?: true
  readonly out?: string
}

interface ProblemDetails {
  readonly detail?: string
  readonly errors?: readonly { readonly path: string; readonly message: string }[]
}

/** Where a server is, and how to come in. */
export const withServer = (command: Command): Command =>
  command
    .option('--server <url>', 'where Bugle is (or BUGLE_SERVER)')
    .option('--token <token>', 'an access token; better in BUGLE_TOKEN, where other users of the machine do not see it')

/** Commands that carry bundles to and from a server, by its API and an access token. */
export function addRemoteCommands(program: Command, print: (value: unknown) => void): void {
  withServer(program.command('import').argument('<file>', 'a bundle'))
    .option('--dry-run', 'says what would change, and changes nothing')
    .description('brings a bundle to a server: adds and changes, removes nothing')
    .action(async (file: string, options: Options) => {
      let body: string
      try {
        body = readFileSync(file, 'utf8').replace(/^\uFEFF/, '')
      } catch (error) {
        throw new BadInput(`${file} cannot be read: ${(error as Error).message}`)
      }
      print(await ask(options, 'POST', `/bundle${options.dryRun ? '?dryRun=yes' : ''}`, body))
    })

  withServer(program.command('export'))
    .option('--out <file>', 'where to write it; else it is printed')
    .description('fetches all definitions of a server as a bundle')
    .action(async (options: Options) => {
      const bundle = await ask(options, 'GET', '/bundle')
      if (options.out === undefined) return print(bundle)
      writeFileSync(options.out, `${JSON.stringify(bundle, null, 2)}\n`)
      print({ written: options.out })
    })
}

/** What the server's API answers. Throws BadInput for what it refuses. */
export async function ask(
  options: Pick<Options, 'server' | 'token'>,
  method: string,
  path: string,
  body?: string,
): Promise<unknown> {
  const server = options.server ?? process.env.BUGLE_SERVER
  const token = options.token ?? process.env.BUGLE_TOKEN
  if (!server || !/^https?:\/\//.test(server))
    throw new BadInput('--server URL is missing, such as https://bugle.example.')
  if (!token)
    throw new BadInput('An access token is missing: make one in Settings, and give it as BUGLE_TOKEN or --token.')
  let response: Response
  try {
    response = await fetch(`${server.replace(/\/+$/, '')}/api/v1${path}`, {
      method,
      headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
      ...(body === undefined ? {} : { body }),
    })
  } catch (error) {
    throw new Error(
      `${server} cannot be reached: ${((error as Error).cause as Error | undefined)?.message ?? (error as Error).message}`,
      { cause: error },
    )
  }
  const answer = (await response.json().catch(() => ({}))) as ProblemDetails
  if (response.ok) return answer
  const lines = answer.errors?.map(({ path: at, message }) => (at ? `${at}: ${message}` : message)) ?? [
    answer.detail ?? `The server answered ${response.status}.`,
  ]
  // What the server refuses is bad input; what it could not do is not.
  throw response.status < 500 ? new BadInput(lines.join('\n')) : new Error(lines.join('\n'))
}
