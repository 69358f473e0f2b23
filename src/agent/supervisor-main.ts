import { createInterface } from 'node:readline'
import { supervise } from './supervisor'
import { WAKE } from './supervisor-files'

/**
 * A supervisor looks after one attempt at a time, whose folder it is told on a line of standard input, and says `idle` when it may have the next: to start such a process takes longer than many
 * commands do. When the agent is gone, so is that line: what is under way is looked after to its end, and then this ends too.
 */
process.stdout.on('error', () => undefined)
// A word that comes too late, when its attempt is over, must not end us.
process.on(WAKE, () => undefined)
let turn = Promise.resolve()
createInterface({ input: process.stdin })
  .on('line', (dir) => {
    turn = turn
      .then(() => supervise(dir))
      .catch(() => undefined)
      .then(() => void process.stdout.write('idle\n'))
  })
  .on('close', () => void turn.then(() => process.exit(0)))
