/** The agent's one file. Actions that talk to others are this file again, as processes of their own: each way loads only what it needs. */
const [command, argument = ''] = process.argv.slice(2)

async function run(): Promise<void> {
  if (command !== 'act') return (await import('./commands')).main()
  process.exitCode = await (await import('@/act/act')).act(argument)
}

run().catch((error: Error) => {
  console.error(error.message)
  process.exit(1)
})
