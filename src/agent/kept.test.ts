import { existsSync, mkdtempSync, readdirSync, utimesSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { reportsIn } from './journal'
import { KeptReports } from './kept'
import { Outbox } from './outbox'
import type { Lease, ReportBody } from './protocol'

const line = (text: string): ReportBody => ({ kind: 'output', lines: [[1, 'o', text]] })
const journal = (dir: string, seqs: readonly number[], more = ''): string => {
  const file = join(dir, 'reports.ndjson')
  const text = seqs.map((seq) =>
    JSON.stringify({ report: { attempt: 7, token: 3, seq, body: line(`${seq}`) }, read: [0, 0, 0] }),
  )
  writeFileSync(file, `${text.join('\n')}\n${more}`)
  return file
}
let dir: string
beforeEach(() => {
  dir = mkdtempSync(join(tmpdir(), 'bugle-kept-'))
})

describe('reports of what is over', () => {
  it('are kept for a server that has forgotten them, from any number on', () => {
    const kept = new KeptReports(dir)
    const file = journal(dir, [1, 2, 3], '{"report": half')
    kept.keep(file, { attempt: 7, token: 3 })
    expect(existsSync(file)).toBe(false)
    expect(kept.told()).toEqual([{ attempt: 7, token: 3 }])
    expect(kept.reportsOf(7, 3, 2).map(({ seq }) => seq)).toEqual([2, 3])
    expect(kept.reportsOf(7, 4, 1)).toEqual([])
    expect(new KeptReports(dir).told()).toHaveLength(1)
  })

  it('lie beside what the server said of each attempt, which goes with them', () => {
    const kept = new KeptReports(dir, 1000)
    for (const attempt of [7, 8, 9])
      kept.keep(journal(dir, [1]), { attempt, token: 3, ...(attempt === 9 ? {} : { receipt: `of ${attempt}` }) })
    expect(kept.told()).toHaveLength(3)
    expect(kept.receiptsOf(new Set([7, 9, 10]))).toEqual(['of 7'])
    expect(kept.receiptsOf(new Set([7, 8])).sort()).toEqual(['of 7', 'of 8'])
    kept.tidy(Date.now() + 5000)
    expect(kept.receiptsOf(new Set([7, 8]))).toEqual([])
    expect(readdirSync(join(dir, 'kept'))).toEqual([])
  })

  it('of one number the last counts', () => {
    const file = journal(dir, [1, 2])
    writeFileSync(file, `${JSON.stringify({ report: { attempt: 7, token: 3, seq: 1, body: line('instead') } })}\n`, {
      flag: 'a',
    })
    expect(reportsIn(file, 1).map(({ body }) => body)).toEqual([line('instead'), line('2')])
  })

  it('go after their time, and are not kept where that is none', () => {
    const kept = new KeptReports(dir, 3_600_000)
    kept.keep(journal(dir, [1]), { attempt: 7, token: 3 })
    kept.keep(journal(dir, [1]), { attempt: 8, token: 4 })
    const old = new Date(Date.now() - 3_700_000)
    utimesSync(join(dir, 'kept', '7-3'), old, old)
    kept.tidy()
    expect(kept.told()).toEqual([{ attempt: 8, token: 4 }])
    const none = new KeptReports(dir, 0)
    none.keep(journal(dir, [1]), { attempt: 9, token: 5 })
    expect(readdirSync(join(dir, 'kept'))).toEqual(['8-4'])
  })

  it('stand beside the newest work that was ever handed out', () => {
    const kept = new KeptReports(dir)
    const lease = (token: number): Lease =>
      ({ attempt: token * 10, token, run: token * 100, proof: `p${token}` }) as Lease
    expect(kept.last).toBeNull()
    for (const token of [3, 5, 4]) kept.saw(lease(token))
    expect(new KeptReports(dir).last).toEqual({ attempt: 50, token: 5, run: 500, proof: 'p5' })
  })

  it('are told by an outbox that is made for them alone', () => {
    const file = journal(dir, [1, 2, 3])
    const box = new Outbox(7, 3, null, () => undefined)
    expect(box.sendAgain(2, () => reportsIn(file, 2))).toBeNull()
    expect(box.takeUnsent(9).map(({ seq }) => seq)).toEqual([2, 3])
    expect([box.seq, new Outbox(8, 3, null, () => undefined).sendAgain(4)]).toEqual([3, null])
  })

  it('never take the place of what waits and is on no disk', () => {
    const box = new Outbox(7, 3, null, () => undefined, reportsIn(journal(dir, [1, 2, 3]), 1))
    box.acked(3)
    box.add(line('not written'))
    expect(box.sendAgain(1, () => reportsIn(join(dir, 'reports.ndjson'), 2))).toEqual({ token: 3, from: 1, to: 1 })
    expect(box.takeUnsent(9).map(({ seq }) => seq)).toEqual([2, 3, 4])
  })

  it('are taken up again by an outbox as if they had never been stored', () => {
    const file = journal(dir, [1, 2, 3])
    const box = new Outbox(7, 3, null, () => undefined, reportsIn(file, 1))
    box.acked(3)
    expect(box.isEmpty).toBe(true)
    expect(box.sendAgain(2, () => reportsIn(file, 2))).toBeNull()
    expect(box.takeUnsent(9).map(({ seq }) => seq)).toEqual([2, 3])
    box.add(line('4'))
    expect(box.takeUnsent(9).map(({ seq }) => seq)).toEqual([4])
    box.acked(4)
    expect([box.isEmpty, box.backlog]).toEqual([true, 0])
  })
})
