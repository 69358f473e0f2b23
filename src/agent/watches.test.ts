import { mkdirSync, mkdtempSync, readFileSync, renameSync, rmSync, utimesSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { FoundFile, Watch } from './protocol'
import { FileWatches } from './watches'
import { changedBy } from './watching'

let folder: string
let state: string
let live: FileWatches[]
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'bugle-watch-'))
  state = join(folder, '.state.json')
  live = []
})
afterEach(() => {
  for (const one of live) one.stop()
  rmSync(folder, { recursive: true, force: true })
})

interface Told {
  readonly files: FoundFile[]
  readonly faults: { trigger: number; fault: string | null }[]
  readonly watches: FileWatches
  /** What was told, once this is true of it. */
  readonly until: (is: () => boolean) => Promise<void>
}
function begin(...watches: Watch[]): Told {
  const files: FoundFile[] = []
  const faults: { trigger: number; fault: string | null }[] = []
  let look = (): void => undefined
  const made = new FileWatches(state, {
    now: () => Date.now(),
    tell: (found) => {
      files.push(...found)
      look()
    },
    tellFaults: (all) => {
      faults.push(...all)
      look()
    },
    log: () => undefined,
  })
  live.push(made)
  made.set(watches)
  const until = (is: () => boolean): Promise<void> =>
    new Promise((resolve) => {
      look = () => {
        if (is()) resolve()
      }
      look()
    })
  return { files, faults, watches: made, until }
}
const watch = (more: Partial<Watch> = {}): Watch => ({
  trigger: 7,
  path: join(folder, 'till-*.csv'),
  settledSeconds: 0.2,
  present: false,
  since: Date.now() - 1,
  ...more,
})
const put = (name: string, text = name): void => writeFileSync(join(folder, name), text)
const names = ({ files }: Told): string[] => [...new Set(files.map(({ path }) => path.slice(folder.length + 1)))].sort()

it('tells files that come, fit and stand still, with what they are', async () => {
  const told = begin(watch())
  await told.until(() => told.faults.length > 0)
  for (const name of ['till-1.csv', 'till-2.csv.part', '.till-3.csv', 'other.csv', 'till-4.csv']) put(name)
  mkdirSync(join(folder, 'till-folder.csv'))
  await told.until(() => names(told).length === 2)
  expect(names(told)).toEqual(['till-1.csv', 'till-4.csv'])
  expect(told.files[0]).toMatchObject({ trigger: 7, size: 10, modified: expect.any(Number) })
  expect(told.faults).toEqual([{ trigger: 7, fault: null }])
})

it('what comes at once is found, although the clock of files lags behind', async () => {
  const since = Date.now()
  put('till-1.csv')
  const told = begin(watch({ since }))
  await told.until(() => told.files.length > 0)
  expect(names(told)).toEqual(['till-1.csv'])
  // Where a system knows whole seconds only, a file may be as new as the end of its second.
  expect([1_000_000, 1_000_250.5].map(changedBy)).toEqual([1_001_000, 1_000_260.5])
})

it('one that is being written is told when it stands still, as it is then', async () => {
  const told = begin(watch({ settledSeconds: 0.5 }))
  await told.until(() => told.faults.length > 0)
  for (let i = 1; i <= 4; i++) {
    put('till-1.csv', 'x'.repeat(i * 100))
    await new Promise((resolve) => setTimeout(resolve, 200))
  }
  await told.until(() => told.files.length > 0)
  expect(told.files.map(({ size }) => size)).toEqual([400])
})

it('what lies there already counts only if it is to; what is renamed into place counts', async () => {
  put('till-old.csv')
  utimesSync(join(folder, 'till-old.csv'), 1, 1)
  put('other-old.csv')
  await new Promise((resolve) => setTimeout(resolve, 20))
  const since = Date.now()
  const told = begin(watch({ since }), watch({ trigger: 8, since, present: true }))
  await told.until(() => told.files.length > 0)
  await new Promise((resolve) => setTimeout(resolve, 20))
  renameSync(join(folder, 'other-old.csv'), join(folder, 'till-moved.csv'))
  await told.until(() => told.files.some(({ trigger }) => trigger === 7))
  const of = (wanted: number): string[] =>
    names({ ...told, files: told.files.filter(({ trigger }) => trigger === wanted) })
  expect(of(7)).toEqual(['till-moved.csv'])
  await told.until(() => of(8).length === 2)
  expect(of(8)).toEqual(['till-moved.csv', 'till-old.csv'])
})

it('is told until the server knows it, also by the next process, and then no more', async () => {
  const first = begin(watch())
  await first.until(() => first.faults.length > 0)
  put('till-1.csv')
  await first.until(() => first.files.length > 0)
  first.watches.stop()
  // Nobody answered, and the file is gone meanwhile.
  rmSync(join(folder, 'till-1.csv'))
  const second = begin(watch())
  second.watches.connected()
  expect(second.files).toEqual(first.files.slice(0, 1))
  second.watches.known(second.files)
  second.files.length = 0
  second.watches.connected()
  expect(second.files).toEqual([])
  // The same file again is the same; another one of that name is another.
  await second.until(() => second.faults.length > 0)
  put('till-1.csv', 'again')
  await second.until(() => second.files.length > 0)
  expect(second.files[0]).toMatchObject({ size: 5 })
})

it('what was told is not told again by the next process while it lies there', async () => {
  const first = begin(watch({ present: true }))
  put('till-1.csv')
  await first.until(() => first.files.length > 0)
  first.watches.known(first.files)
  first.watches.stop()
  expect(JSON.parse(readFileSync(state, 'utf8'))).toMatchObject({
    7: { untold: [], told: { 'till-1.csv': [10, expect.any(Number)] } },
  })
  const second = begin(watch({ present: true }))
  await second.until(() => second.faults.length > 0)
  put('till-2.csv')
  await second.until(() => second.files.length > 0)
  expect(names(second)).toEqual(['till-2.csv'])
})

it('says why it cannot look, and when it can again; a folder that is missing keeps nothing else from being looked into', async () => {
  const lost = join(folder, 'lost')
  const told = begin(watch({ trigger: 9, path: join(lost, 'x') }), watch())
  await told.until(() => told.faults.length === 2)
  expect(told.faults).toContainEqual({ trigger: 9, fault: `There is no folder ${lost}.` })
  put('till-1.csv')
  await told.until(() => told.files.length > 0)
  mkdirSync(lost)
  await told.until(() => told.faults.length === 3)
  expect(told.faults.at(-1)).toEqual({ trigger: 9, fault: null })
}, 15_000)

it('of more than a thousand the first by name count, and it says so', async () => {
  for (let i = 0; i < 1005; i++) put(`till-${String(i).padStart(4, '0')}.csv`, '')
  const told = begin(watch({ present: true, settledSeconds: 0.1 }))
  await told.until(() => told.files.length >= 1000)
  expect(names(told).length).toBe(1000)
  expect(names(told).at(-1)).toBe('till-0999.csv')
  expect(told.faults).toEqual([{ trigger: 7, fault: 'More than 1000 files there fit: only the first by name count.' }])
})

it('what was kept and cannot be read is begun anew', async () => {
  writeFileSync(state, '{"7":')
  const told = begin(watch({ present: true }))
  put('till-1.csv')
  await told.until(() => told.files.length > 0)
  expect(names(told)).toEqual(['till-1.csv'])
})
