import { robotState, type RobotSigns } from './robot-state'

const signs: RobotSigns = {
  offSince: null,
  awaySince: null,
  outOfHoursSince: null,
  faultSince: null,
  busySince: null,
  readySince: [3, null, 7],
}

it.each<[Partial<RobotSigns>, string, number | null]>([
  [{}, 'ready', 7],
  [{ readySince: [null] }, 'ready', null],
  [{ busySince: 5 }, 'busy', 5],
  [{ busySince: 5, faultSince: 4 }, 'account', 4],
  [{ faultSince: 4, outOfHoursSince: 6 }, 'out-of-hours', 6],
  [{ outOfHoursSince: 6, awaySince: 2 }, 'away', 2],
  [{ awaySince: 2, offSince: 1, busySince: 9 }, 'off', 1],
])('of %j the first that holds counts: %s since %s', (more, state, sinceMs) => {
  expect(robotState({ ...signs, ...more })).toEqual({ state, sinceMs })
})
