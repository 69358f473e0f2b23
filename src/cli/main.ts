import { Command } from 'commander'
import { z } from 'zod'
import { BadInput } from './bad-input'
import { addCompareCommand, COMPARE_COMMANDS } from './compare'
import { addFlowCommands, FLOW_COMMANDS } from './flows'
import { addForecastCommands, FORECAST_COMMANDS } from './forecast'
import { addPeopleCommands, PEOPLE_COMMANDS } from './people'
import { addRemoteCommands, REMOTE_COMMANDS } from './remote'
import { addEventCommands, EVENT_COMMANDS } from './events'
import { addTimingCommands, TIMING_COMMANDS } from './timing'

const print = (value: unknown): void => console.log(JSON.stringify(value, null, 2))

function messageOf(error: unknown): string {
  if (error instanceof z.ZodError) return error.issues.map((i) => `${i.path.join('.')}: ${i.message}`).join('\n')
  return (error as Error).message
}

/** Bad input is answered with 2: what commander, Zod, our own checks and the services find wrong with what was given. */
function exitCodeOf(error: unknown): number {
  const { code, name } = error as { code?: unknown; name?: string }
  if (code === 'commander.helpDisplayed' || code === 'commander.help') return 0
  const isUsage = typeof code === 'string' && code.startsWith('commander.')
  return isUsage || error instanceof BadInput || error instanceof z.ZodError || name === 'Problem' ? 2 : 1
}

async function main(): Promise<void> {
  const program = new Command('bugle').description(
    'Bugle’s command line. Prints JSON on standard output, messages on standard error; exit 2 for bad input.',
  )
  program.exitOverride((error) => {
    throw error
  })
  addTimingCommands(program, print)
  addEventCommands(program)
  addFlowCommands(program, print)
  addForecastCommands(program, print)
  addPeopleCommands(program, print)
  addRemoteCommands(program, print)
  addCompareCommand(program, print)
  // What works without the server's database loads nothing of it: it starts in a quarter of the time.
  const isLight = [
    ...TIMING_COMMANDS,
    ...EVENT_COMMANDS,
    ...FLOW_COMMANDS,
    ...FORECAST_COMMANDS,
    ...PEOPLE_COMMANDS,
    ...REMOTE_COMMANDS,
    ...COMPARE_COMMANDS,
  ].includes(process.argv[2] ?? '')
  const server = isLight ? null : await import('./server')
  server?.addServerCommands(program, print)
  try {
    await program.parseAsync()
  } catch (error) {
    const isUsage = (error as { code?: string }).code?.startsWith('commander.') ?? false
    if (!isUsage && messageOf(error) !== '') console.error(messageOf(error))
    process.exitCode = exitCodeOf(error)
  } finally {
    await server?.closeDb()
  }
}

void main()
