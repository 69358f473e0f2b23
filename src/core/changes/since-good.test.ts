import { inOrder, type Change } from './since-good'

const change = (kind: Change['kind'], atMs: number | null): Change => ({
  kind,
  says: `${kind} ${atMs}`,
  atMs,
  by: null,
  object: null,
})

describe('what changed since it last went well', () => {
  it('comes in the order in which it is likely to matter', () => {
    const window = { goodMs: 100, firstBadMs: 200 }
    const all = [
      change('calendar', 150),
      change('definition', 250),
      change('lock', 190),
      change('lock', 120),
      change('definition', 110),
      change('machine', null),
      change('account', 100),
      change('account', 200),
    ]
    expect(inOrder(all, window).map(({ says }) => says)).toEqual([
      'definition 110',
      'account 200',
      'machine null',
      'lock 190',
      'lock 120',
      'calendar 150',
      'definition 250',
      'account 100',
    ])
  })
})
