/** The agent's one file. Actions that talk to others are this file again, as processes of their own: each way loads only what it needs. */
const [command, argument = ''] = process.argv.slice(2)

async function run(): Promise<void> {
  // In a run, and with options of its own.
  if (command === 'item') return (await import('./item-command')).runItemCommand(process.argv.slice(3))
  if (command !== 'act') return (await import('./commands')).main()
  process.exitCode = await (await import('@/act/act')).act(argument)
}

run().catch((error: Error) => {
  console.error(error.message)
  process.exit(1)
})
