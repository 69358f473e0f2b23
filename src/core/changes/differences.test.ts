import { fileChanges, isMuchLonger, missingFile, timeChanges, type StepTimes } from './differences'

it.each([
  ['cat: /srv/in/tills.csv: No such file or directory', '/srv/in/tills.csv'],
  ["FileNotFoundError: [Errno 2] No such file or directory: '/srv/in/tills.csv'", '/srv/in/tills.csv'],
  ["Error: ENOENT: no such file or directory, open '/srv/in/tills.csv'", '/srv/in/tills.csv'],
  ['sh: 1: ./close.sh: not found', './close.sh'],
  ['C:\\tills\\day.csv does not exist', 'C:\\tills\\day.csv'],
  ['cannot open file tills.csv', 'tills.csv'],
  ['The system cannot find the file tills/day.csv.', 'tills/day.csv'],
])('a file that is not there is read out of “%s”', (line, path) => {
  expect(missingFile(line)).toBe(path)
  expect(fileChanges(line)).toEqual([
    { kind: 'file', says: `Its output says that ${path} is not there.`, atMs: null, by: null, object: null },
  ])
})

it.each([
  'page not found',
  'user moira does not exist',
  'write /srv/out: no space left on device',
  'Exit code 1.',
  '',
  'No such file or directory',
  `${'/a'.repeat(50_000)} `,
])('and not out of “%.60s”', (line) => {
  expect(missingFile(line)).toBeNull()
})

it('much longer is half as long again, and by more than a busy minute brings', () => {
  expect([isMuchLonger(90_000, 60_000), isMuchLonger(89_000, 60_000), isMuchLonger(20_000, 5_000)]).toEqual([
    true,
    false,
    false,
  ])
})

it('what took or waited longer than then is told, the longest first; what was not there then, or is not over, is not', () => {
  const step = (path: string, tookMs: number | null, waitedMs: number | null = 0): StepTimes => ({
    path,
    title: path.toUpperCase(),
    tookMs,
    waitedMs,
  })
  const then = [step('a', 60_000), step('b', 60_000), step('c', 60_000), step('d', null), step('e', 60_000, null)]
  const now = [
    step('a', 100_000, 45_000),
    step('b', 300_000, 3_600_000),
    step('c', 61_000),
    step('d', 900_000),
    step('e', null, 9e6),
    step('f', 9e6),
  ]
  expect(timeChanges(then, now, ({ title }) => `Step ${title}`).map(({ kind, says }) => [kind, says])).toEqual([
    ['wait', 'Step B waited 1 h 00 min until it could begin; it was 0:00.'],
    ['length', 'Step B took 5:00; it was 1:00.'],
    ['length', 'Step A took 1:40; it was 1:00.'],
  ])
})
