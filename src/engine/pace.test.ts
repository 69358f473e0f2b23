import { paced } from './pace'

jest.useFakeTimers()

const EVERY = 5000
const REST = 100
let began: number[]
let errors: unknown[]
let takes: number
let fails: boolean
const start = (onRest?: () => void): ReturnType<typeof paced> =>
  paced(
    async () => {
      began.push(performance.now())
      if (takes > 0) await new Promise((resolve) => setTimeout(resolve, takes))
      if (fails) throw new Error('not now')
    },
    { restMs: REST, everyMs: EVERY, onError: (error) => errors.push(error), ...(onRest ? { onRest } : {}) },
  )
const after = (ms: number): Promise<void> => jest.advanceTimersByTimeAsync(ms)
/** Since the first call. */
const times = (): number[] => began.map((at) => Math.round(at - (began[0] as number)))

beforeEach(() => {
  ;[began, errors, takes, fails] = [[], [], 0, false]
})

describe('work that is paced', () => {
  it('is done at once, and then again and again without being woken', async () => {
    const work = start()
    await after(2 * EVERY + 10)
    expect(times()).toEqual([0, EVERY, 2 * EVERY])
    await work.stop()
  })

  it('is done soon after it was woken, once for all that woke it meanwhile, after a rest', async () => {
    const work = start()
    await after(1)
    for (let i = 0; i < 5; i++) work.wake()
    await after(REST + 10)
    await after(1000)
    work.wake()
    await after(1)
    expect(times()).toEqual([0, REST, REST + 1011])
    await work.stop()
  })

  it('rests as long as it took, a second at most, so that a busy stretch is done in batches', async () => {
    takes = 400
    const work = start()
    await after(10)
    work.wake()
    await after(REST + 900)
    expect(times()).toEqual([0, 800])
    takes = 3000
    await after(400)
    work.wake()
    await after(8000)
    const [, , third, fourth] = times()
    expect(third).toBe(1600)
    expect(fourth).toBe(undefined)
    work.wake()
    await after(1000)
    expect(times()).toHaveLength(4)
    await Promise.all([work.stop(), after(4000)])
  })

  it('is never done twice at once: what wakes it while it is at work has its turn after it', async () => {
    takes = 2000
    const work = start()
    await after(100)
    work.wake()
    await after(1000)
    expect(times()).toEqual([0])
    await after(2000)
    expect(times()).toEqual([0, 3000])
    await Promise.all([work.stop(), after(4000)])
  })

  it('that fails is told, and done again', async () => {
    fails = true
    const rests: number[] = []
    const work = start(() => rests.push(performance.now()))
    await after(EVERY + 10)
    expect(errors.map(String)).toEqual(['Error: not now', 'Error: not now'])
    expect(rests).toHaveLength(2)
    await work.stop()
  })

  it('ends after what is being done, and is done no more', async () => {
    takes = 300
    const work = start()
    await after(1)
    let stopped = false
    const stop = work.stop().then(() => {
      stopped = true
    })
    await after(200)
    expect(stopped).toBe(false)
    await after(200)
    await stop
    work.wake()
    await after(3 * EVERY)
    expect(times()).toEqual([0])
  })
})
