import { gather, GATHER_MS } from './gather'

const sent: unknown[] = []
const told = (): unknown[] => sent.splice(0)
const NOTHING = {
  all: false,
  fleet: false,
  matters: false,
  jobs: false,
  items: false,
  reports: false,
  timing: false,
  runs: [],
}
let gathering: ReturnType<typeof gather>
beforeEach(() => {
  jest.useFakeTimers()
  gathering = gather((event) => sent.push(event))
})
afterEach(() => jest.useRealTimers())
const later = (): void => void jest.advanceTimersByTime(GATHER_MS)

it('sends what changed together, once, and begins anew', () => {
  gathering.add({ runs: [7, 8], matters: true })
  gathering.add({ runs: [8, 9], timing: true })
  later()
  expect(told()).toEqual([{ ...NOTHING, matters: true, timing: true, runs: [7, 8, 9] }])
  later()
  gathering.add({ fleet: true })
  later()
  expect(told()).toEqual([{ ...NOTHING, fleet: true }])
})

it('says only that runs changed where it is many, or where nobody counted them', () => {
  gathering.add({ runs: Array.from({ length: 2000 }, (_, i) => i) })
  later()
  expect(told()).toMatchObject([{ all: false, runs: { length: 2000 } }])
  gathering.add({ runs: Array.from({ length: 2001 }, (_, i) => i) })
  later()
  gathering.add({ runs: [] })
  later()
  expect(told()).toEqual([
    { ...NOTHING, all: true },
    { ...NOTHING, all: true },
  ])
})

it('keeps to itself what is for engines, and what comes after the end', () => {
  gathering.add({ place: true, deliver: true })
  later()
  gathering.add({ jobs: true })
  gathering.stop()
  later()
  expect(told()).toEqual([])
})
