import fc from 'fast-check'
import { nightLogSections } from '../reports/night-log'
import { logMatter, quietLog } from './log.test-help'
import { entriesOf, figuresOf, isOpenAt, LOG_PARTS, matterWords, partOf, stillOpen, type LogMatter } from './night'

const HOUR = 3_600_000
const matter = (change: Partial<LogMatter> = {}): LogMatter => logMatter({ openedAtMs: 2 * HOUR, ...change })
const log = quietLog

it('a matter is told in one line, whatever it is about', () => {
  expect(matterWords(matter({ times: 3 }))).toBe('Fare cache failed on kelda-app2, 3 times')
  expect(matterWords(matter({ kind: 'run-lost', stepTitle: 'check' }))).toBe(
    'Fare cache was lost at check on kelda-app2',
  )
  expect(matterWords(matter({ kind: 'agent-away', title: 'kelda-app2' }))).toBe('kelda-app2 did not call')
  expect(matterWords(matter({ kind: 'trouble', title: 'The disk of kelda-app2 is full' }))).toBe(
    'The disk of kelda-app2 is full',
  )
})

it('what is open at the end is what was there and not settled by then; all else was settled', () => {
  const at = fc.integer({ min: -10, max: 30 }).map((n) => n * HOUR)
  const some = fc.array(
    fc.record({ kind: fc.constantFrom('run-failed', 'run-late', 'trouble'), closedAtMs: fc.option(at) }),
  )
  fc.assert(
    fc.property(some, some, (before, matters) => {
      const its = log({ before: before.map((each) => matter(each)), matters: matters.map((each) => matter(each)) })
      const { failed, late, other, mended, stillOpen: open } = figuresOf(its)
      expect(failed + late + other).toBe(matters.length)
      expect(mended + open).toBe(before.length + matters.length)
      const parts = LOG_PARTS.map((part) => partOf(its, part).length)
      expect(parts).toEqual([failed, late, other, mended, its.changes.length])
      expect(stillOpen(its).every((each) => isOpenAt(each, its.toMs))).toBe(true)
      expect(
        [...before, ...matters].filter(({ closedAtMs }) => closedAtMs === null || closedAtMs > its.toMs),
      ).toHaveLength(open)
    }),
  )
})

const WHOLE = log({
  before: [matter({ id: 9, title: 'Tide tables', openedAtMs: -HOUR, runId: null })],
  matters: [
    matter({
      ...{ takenBy: 'Sunniva Dahl', takenAtMs: 3 * HOUR, note: 'clearing logs' },
      ...{ closedBy: 'Sunniva Dahl', closedAtMs: 4 * HOUR, done: '40 GB free' },
    }),
  ],
  changes: [
    {
      atMs: HOUR,
      by: 'Torvald Brekke',
      says: 'The job Largest tables was changed.',
      object: { type: 'job', id: '5' },
      followed: [17, 18],
    },
  ],
  notes: [{ id: 1, atMs: 5 * HOUR, by: 'Sunniva Dahl', byId: 4, text: 'Turnstone is late.' }],
  handedOver: [{ atMs: 12 * HOUR, by: 'Sunniva Dahl', to: 'Callum Eads', note: 'Quiet.' }],
})

it('stands in order of time, whatever it is', () => {
  expect(entriesOf(WHOLE).map(({ is, atMs }) => [is, atMs / HOUR])).toEqual([
    ['change', 1],
    ['matter', 2],
    ['note', 5],
    ['handed over', 12],
  ])
})

it('as a report has every line: who took and settled what, what is open, what was changed and written', () => {
  const sections = nightLogSections(WHOLE)
  expect(sections.map(({ title }) => title)).toEqual(['The shift', 'Still open', 'Notes', 'What was changed'])
  expect(sections[0]?.notes).toEqual(['Sunniva Dahl handed over to Callum Eads: “Quiet.”'])
  expect(sections[0]?.figures.map(({ label, value }) => `${label} ${value}`)).toEqual([
    ...['Failed 1', 'Late 0', 'Other matters 0', 'Settled 1', 'Still open 1', 'Changes 1'],
  ])
  const rows = sections.map(({ tables }) => tables[0]?.rows.map(({ cells }) => cells))
  const still = [-HOUR, 'Tide tables failed on kelda-app2', 'no space left on device', '', 'open', null]
  expect(rows).toEqual([
    [
      still,
      [
        ...[2 * HOUR, 'Fare cache failed on kelda-app2 (#17)', 'no space left on device'],
        ...['Sunniva Dahl: “clearing logs”', 'Sunniva Dahl: “40 GB free”', 4 * HOUR],
      ],
    ],
    [still],
    [[5 * HOUR, 'Sunniva Dahl', 'Turnstone is late.']],
    [[HOUR, 'Torvald Brekke', 'The job Largest tables was changed.', '#17, #18']],
  ])
  expect(sections[0]?.tables[0]?.rows[1]?.hrefs?.[1]).toBe('/runs/17')
  expect(nightLogSections(log()).map(({ notes }) => notes)).toEqual([
    [],
    ['Nothing.'],
    ['Nobody wrote any.'],
    ['Nothing.'],
  ])
})
