import fc from 'fast-check'
import { Outbox, type Keeper } from './outbox'
import type { Report, ReportBody } from './protocol'

const line = (text: string): ReportBody => ({ kind: 'output', lines: [[1, 'o', text]] })
const seqs = (reports: readonly Report[]): number[] => reports.map(({ seq }) => seq)

function kept(): Keeper & { reports: Report[]; upTo: number } {
  const keeper = {
    reports: [] as Report[],
    upTo: 0,
    append: (report: Report) => void keeper.reports.push(report),
    acked: (seq: number) => void (keeper.upTo = seq),
  }
  return keeper
}

describe('an outbox', () => {
  it('numbers from 1, keeps each report before it tells of it, and forgets what is stored', () => {
    const keeper = kept()
    const told: number[] = []
    const box = new Outbox(7, 3, keeper, () => told.push(keeper.reports.length))
    box.add(line('a'))
    box.add(line('b'))
    expect(told).toEqual([1, 2])
    expect(keeper.reports.map(({ attempt, token, seq }) => [attempt, token, seq])).toEqual([
      [7, 3, 1],
      [7, 3, 2],
    ])
    box.acked(1)
    expect(seqs(box.pending)).toEqual([2])
    expect(keeper.upTo).toBe(1)
    box.acked(2)
    expect([box.isEmpty, box.backlog]).toEqual([true, 0])
  })

  it('sends again from the first that is not stored when the line was cut', () => {
    const box = new Outbox(7, 3, null, () => undefined)
    for (const text of ['a', 'b', 'c']) box.add(line(text))
    expect(seqs(box.takeUnsent(2))).toEqual([1, 2])
    box.acked(1)
    box.rewind()
    expect(seqs(box.takeUnsent(10))).toEqual([2, 3])
    expect(box.hasUnsent).toBe(false)
  })

  it('goes on counting after a restart, also when everything had been stored', () => {
    const reports = [4, 5].map((seq) => ({ attempt: 7, token: 3, seq, body: line('x') }))
    const half = new Outbox(7, 3, null, () => undefined, reports)
    half.add(line('y'))
    expect(seqs(half.pending)).toEqual([4, 5, 6])
    const all = new Outbox(7, 3, null, () => undefined, [], 9)
    all.add(line('y'))
    expect(seqs(all.pending)).toEqual([10])
  })

  it('takes an acknowledgement that comes twice, or from before', () => {
    const box = new Outbox(7, 3, null, () => undefined)
    for (const text of ['a', 'b', 'c']) box.add(line(text))
    box.takeUnsent(3)
    box.acked(2)
    box.acked(2)
    box.acked(1)
    expect(seqs(box.pending)).toEqual([3])
    expect(box.hasUnsent).toBe(false)
  })

  it('delivers every report once and in order over any line', () => {
    const step = fc.oneof(
      fc.record({ what: fc.constant('add' as const), text: fc.string({ maxLength: 5 }) }),
      fc.record({ what: fc.constant('send' as const), most: fc.integer({ min: 1, max: 4 }) }),
      // The server stores what arrived, and its answer comes through or is lost.
      fc.record({ what: fc.constant('store' as const), isHeard: fc.boolean() }),
      fc.constant({ what: 'cut' as const }),
    )
    fc.assert(
      fc.property(fc.array(step, { maxLength: 60 }), (steps) => {
        const box = new Outbox(1, 1, null, () => undefined)
        const made: string[] = []
        const stored: string[] = []
        let onTheWay: Report[] = []
        const take = (reports: readonly Report[]): void => {
          for (const { seq, body } of reports) {
            if (seq !== stored.length + 1 || body.kind !== 'output') continue
            stored.push(body.lines[0]?.[2] ?? '')
          }
        }
        for (const it of steps) {
          if (it.what === 'add') {
            box.add(line(it.text))
            made.push(it.text)
          } else if (it.what === 'send') onTheWay.push(...box.takeUnsent(it.most))
          else if (it.what === 'store') {
            take(onTheWay)
            onTheWay = []
            if (it.isHeard) box.acked(stored.length)
          } else {
            onTheWay = []
            box.rewind()
          }
          expect(box.backlog >= 0 && box.pending.length >= made.length - stored.length).toBe(true)
        }
        box.rewind()
        take(box.takeUnsent(1000))
        expect(stored).toEqual(made)
      }),
    )
  })
})
