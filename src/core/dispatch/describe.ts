import type { Reason } from './types'

export type { Reason } from './types'

/** One plain sentence. `timeOf` writes an instant in the reader's zone. */
export function describeReason(reason: Reason, timeOf: (ms: number) => string): string {
  switch (reason.why) {
    case 'held':
      return 'Held by a person until it is released.'
    case 'off':
      return 'Starts are switched off.'
    case 'kind':
      return `Steps of the kind ${reason.kind} are switched off for all: ${reason.because}`
    case 'agent': {
      const what = reason.isRobot ? 'robot' : 'agent'
      const nearest = reason.lacks[0]
      if (!nearest) return reason.isRobot ? 'No robot is registered yet.' : 'No agent is enrolled yet.'
      const more = reason.lacks.length - 1
      const others =
        more === 0 ? '' : more === 1 ? ` One other ${what} lacks something too.` : ` ${more} others lack something too.`
      return `No ${what} can take it: ${nearest.agent} ${nearest.lacks.join(' and ')}.${others}`
    }
    case 'person':
      return reason.how === 'asked'
        ? `The person at ${reason.robot} is asked, and has until ${timeOf(reason.atMs)} to answer.`
        : `The person at ${reason.robot} wants it at ${timeOf(reason.atMs)}.`
    case 'lock': {
      const holders = reason.holders.map((number) => `#${number}`).join(', ')
      return `Waits for lock ${reason.lock}${holders ? `: its units are with ${holders}` : ', of which there are too few units'}.`
    }
    case 'allowance': {
      const holders = reason.holders.map((number) => `#${number}`)
      const where =
        holders.length === 0
          ? 'it takes more than that'
          : `they are with ${holders.slice(0, 5).join(', ')}${holders.length > 5 ? ` and ${holders.length - 5} more` : ''}`
      return `Only ${reason.units} ${reason.of} may be in use at once: ${where}.`
    }
    case 'slot':
      if (reason.isRobot)
        return `No robot is free: the first is expected to be ${reason.agent}, at ${timeOf(reason.atMs)}.`
      return `No slot is free: the first is expected on ${reason.agent} at ${timeOf(reason.atMs)}.`
    case 'turn':
      return `There is room, but it is kept for #${reason.for}, which comes first.`
    case 'soon':
      return 'It starts in a moment.'
  }
}
