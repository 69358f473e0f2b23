import { runItemCommand } from './item-command'

// `$BUGLE_AGENT item …` of a run: this small program, which also an account can read that cannot read the agent's own files.
const [command = '', ...args] = process.argv.slice(2)
void runItemCommand(command === 'item' ? args : [command, ...args])
