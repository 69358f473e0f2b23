import { backlogTroubles, MANY_WAIT, type BacklogSigns } from './backlog'

const calm: BacklogSigns = { waiting: 5, arrivedPerHour: 10, endedPerHour: 12, overdue: 0, bad: 3, isOld: false }

it.each<[Partial<BacklogSigns>, string[]]>([
  [{}, []],
  [{ overdue: 1 }, ['overdue']],
  [{ bad: 10 }, []],
  [{ bad: 11 }, ['rejected']],
  [{ waiting: MANY_WAIT, endedPerHour: 9, isOld: true }, ['grows']],
  [{ waiting: MANY_WAIT - 1, endedPerHour: 9, isOld: true }, []],
  [{ waiting: MANY_WAIT, endedPerHour: 10, isOld: true }, []],
  // What came just now is not yet a backlog.
  [{ waiting: MANY_WAIT, endedPerHour: 0, isOld: false }, []],
  [{ waiting: 99, endedPerHour: 0, isOld: true, overdue: 2, bad: 50 }, ['overdue', 'rejected', 'grows']],
])('of a queue with %j a person is told %j', (more, troubles) => {
  expect(backlogTroubles({ ...calm, ...more }, 10)).toEqual(troubles)
})
