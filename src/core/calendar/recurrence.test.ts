import fc from 'fast-check'
import { RRule, type Options } from 'rrule'
import { isoDay, parseIsoDay, WEEKDAYS } from './days'
import { recurrenceDays } from './recurrence'
import { parseRecurrence, type Recurrence } from './recurrence-parse'

const day = (text: string): number => parseIsoDay(text) as number

function rule(text: string): Recurrence {
  const parsed = parseRecurrence(text, 'days')
  if (!parsed.ok) throw new Error(parsed.fault)
  return parsed.value
}

function days(text: string, start: string, from: string, to: string): string[] {
  return recurrenceDays(rule(text), day(start)).list(day(from), day(to)).map(isoDay)
}

/** The library gives the days of a period in the order in which its places are written, and ends at the first that lies beyond the end: it gets them in order. */
const placesInOrder = (text: string): string =>
  text.replace(/BYSETPOS=([-\d,]+)/, (_, places: string) => {
    const order = (place: number): number => (place < 0 ? 1000 + place : place)
    return `BYSETPOS=${places
      .split(',')
      .sort((a, b) => order(Number(a)) - order(Number(b)))
      .join()}`
  })

/** The library’s answer for the same rule. */
function byLibrary(text: string, start: string, from: string, to: string): string[] {
  const options: Partial<Options> = {
    ...RRule.parseString(placesInOrder(text).replace(/UNTIL=(\d{8})/, 'UNTIL=$1T000000Z')),
    dtstart: new Date(`${start}T00:00:00Z`),
  }
  const found = new RRule(options).between(new Date(`${from}T00:00:00Z`), new Date(`${to}T00:00:00Z`), true)
  return [...new Set(found.map((date) => date.toISOString().slice(0, 10)))].sort()
}

describe('the examples of RFC 5545, 3.8.5.3', () => {
  // DTSTART is 2 September 1997 where nothing else is said; the days expected are those of the document
  // (an UNTIL of midnight UTC there leaves out its day: here it is the day before).
  it.each([
    ['FREQ=DAILY;COUNT=10', '1997-09-02', '1997-09-02 … 1997-09-11', 10],
    ['FREQ=DAILY;UNTIL=19971224', '1997-09-02', '1997-09-02 … 1997-12-24', 114],
    ['FREQ=DAILY;INTERVAL=10;COUNT=5', '1997-09-02', '1997-09-02 1997-09-12 1997-09-22 1997-10-02 1997-10-12', 5],
    ['FREQ=YEARLY;UNTIL=20000131;BYMONTH=1;BYDAY=SU,MO,TU,WE,TH,FR,SA', '1998-01-01', '1998-01-01 … 2000-01-31', 93],
    ['FREQ=WEEKLY;COUNT=10', '1997-09-02', '1997-09-02 … 1997-11-04', 10],
    ['FREQ=WEEKLY;UNTIL=19971006;WKST=SU;BYDAY=TU,TH', '1997-09-02', '1997-09-02 … 1997-10-02', 10],
    ['FREQ=WEEKLY;INTERVAL=2;UNTIL=19971223;WKST=SU;BYDAY=MO,WE,FR', '1997-09-01', '1997-09-01 … 1997-12-22', 25],
    ['FREQ=WEEKLY;INTERVAL=2;COUNT=8;WKST=SU;BYDAY=TU,TH', '1997-09-02', '1997-09-02 … 1997-10-16', 8],
    ['FREQ=MONTHLY;COUNT=10;BYDAY=1FR', '1997-09-05', '1997-09-05 … 1998-06-05', 10],
    ['FREQ=MONTHLY;INTERVAL=2;COUNT=10;BYDAY=1SU,-1SU', '1997-09-07', '1997-09-07 … 1998-05-31', 10],
    [
      'FREQ=MONTHLY;COUNT=6;BYDAY=-2MO',
      '1997-09-22',
      '1997-09-22 1997-10-20 1997-11-17 1997-12-22 1998-01-19 1998-02-16',
      6,
    ],
    [
      'FREQ=MONTHLY;COUNT=6;BYMONTHDAY=-3',
      '1997-09-28',
      '1997-09-28 1997-10-29 1997-11-28 1997-12-29 1998-01-29 1998-02-26',
      6,
    ],
    ['FREQ=MONTHLY;COUNT=10;BYMONTHDAY=2,15', '1997-09-02', '1997-09-02 … 1998-01-15', 10],
    ['FREQ=MONTHLY;COUNT=10;BYMONTHDAY=1,-1', '1997-09-30', '1997-09-30 … 1998-02-01', 10],
    ['FREQ=MONTHLY;INTERVAL=18;COUNT=10;BYMONTHDAY=10,11,12,13,14,15', '1997-09-10', '1997-09-10 … 1999-03-13', 10],
    ['FREQ=YEARLY;COUNT=10;BYMONTH=6,7', '1997-06-10', '1997-06-10 … 2001-07-10', 10],
    ['FREQ=YEARLY;INTERVAL=2;COUNT=10;BYMONTH=1,2,3', '1997-03-10', '1997-03-10 … 2003-03-10', 10],
    ['FREQ=YEARLY;INTERVAL=3;COUNT=10;BYYEARDAY=1,100,200', '1997-01-01', '1997-01-01 … 2006-01-01', 10],
    ['FREQ=YEARLY;BYDAY=20MO;COUNT=3', '1997-05-19', '1997-05-19 1998-05-18 1999-05-17', 3],
    ['FREQ=YEARLY;BYWEEKNO=20;BYDAY=MO;COUNT=3', '1997-05-12', '1997-05-12 1998-05-11 1999-05-17', 3],
    ['FREQ=YEARLY;BYMONTH=3;BYDAY=TH;COUNT=11', '1997-03-13', '1997-03-13 … 1999-03-25', 11],
    [
      'FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13;COUNT=5',
      '1997-09-02',
      '1998-02-13 1998-03-13 1998-11-13 1999-08-13 2000-10-13',
      5,
    ],
    ['FREQ=MONTHLY;BYDAY=SA;BYMONTHDAY=7,8,9,10,11,12,13;COUNT=10', '1997-09-13', '1997-09-13 … 1998-06-13', 10],
    [
      'FREQ=YEARLY;INTERVAL=4;BYMONTH=11;BYDAY=TU;BYMONTHDAY=2,3,4,5,6,7,8;COUNT=3',
      '1996-11-05',
      '1996-11-05 2000-11-07 2004-11-02',
      3,
    ],
    ['FREQ=MONTHLY;COUNT=3;BYDAY=TU,WE,TH;BYSETPOS=3', '1997-09-04', '1997-09-04 1997-10-07 1997-11-06', 3],
    ['FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-2;COUNT=7', '1997-09-29', '1997-09-29 … 1998-03-30', 7],
    [
      'FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=MO',
      '1997-08-05',
      '1997-08-05 1997-08-10 1997-08-19 1997-08-24',
      4,
    ],
    [
      'FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=SU',
      '1997-08-05',
      '1997-08-05 1997-08-17 1997-08-19 1997-08-31',
      4,
    ],
    [
      'FREQ=MONTHLY;BYMONTHDAY=15,30;COUNT=5',
      '2007-01-15',
      '2007-01-15 2007-01-30 2007-02-15 2007-03-15 2007-03-30',
      5,
    ],
  ])('%s from %s', (text, start, expected, count) => {
    const found = days(text, start, '1990-01-01', '2030-12-31')
    expect(found).toHaveLength(count)
    const [first, last] = expected.split(' … ')
    if (last) expect([found[0], found.at(-1)]).toEqual([first, last])
    else expect(found.join(' ')).toBe(expected)
  })
})

describe('a recurrence', () => {
  const number = (from: number, to: number): fc.Arbitrary<number> => fc.integer({ min: from, max: to })
  const signed = (to: number): fc.Arbitrary<number> => fc.oneof(number(1, to), number(-to, -1))
  const some = <T>(item: fc.Arbitrary<T>): fc.Arbitrary<T[]> => fc.uniqueArray(item, { minLength: 1, maxLength: 4 })
  const maybe = <T>(item: fc.Arbitrary<T>): fc.Arbitrary<T | null> => fc.option(item, { nil: null, freq: 2 })

  /** Rules on which the library follows the RFC as we do: it intersects numbered and plain weekdays, and takes whole weeks for BYWEEKNO alone. */
  const anyRule = fc
    .record({
      freq: fc.constantFrom('DAILY', 'WEEKLY', 'MONTHLY', 'YEARLY'),
      interval: number(1, 5),
      months: maybe(some(number(1, 12))),
      monthDays: maybe(some(signed(31))),
      yearDays: maybe(some(signed(366))),
      weekNumbers: maybe(some(signed(53))),
      weekdays: maybe(some(fc.constantFrom(...WEEKDAYS))),
      numbered: fc.boolean(),
      n: signed(5),
      // The library takes a place before the first for the first.
      positions: maybe(some(fc.constantFrom(1, 2, 3, 4, -1))),
      weekStart: fc.constantFrom(...WEEKDAYS),
      end: fc.constantFrom('', ';COUNT=7', ';COUNT=40', ';UNTIL=20290704'),
    })
    .map((r) => {
      const isYearly = r.freq === 'YEARLY'
      const weeks = isYearly && r.weekdays && !r.yearDays && !r.monthDays ? r.weekNumbers : null
      const numbered = r.numbered && (r.freq === 'MONTHLY' || (isYearly && !weeks))
      const parts = [
        `FREQ=${r.freq}`,
        weeks || r.interval === 1 ? '' : `INTERVAL=${r.interval}`,
        r.months ? `BYMONTH=${r.months.join()}` : '',
        r.monthDays && r.freq !== 'WEEKLY' ? `BYMONTHDAY=${r.monthDays.join()}` : '',
        r.yearDays && isYearly ? `BYYEARDAY=${r.yearDays.join()}` : '',
        weeks ? `BYWEEKNO=${weeks.join()}` : '',
        r.weekdays ? `BYDAY=${r.weekdays.map((code) => (numbered ? `${r.n}${code}` : code)).join()}` : '',
        `WKST=${r.weekStart}`,
      ]
      const hasBy = parts.some((part) => part.startsWith('BY'))
      // The library counts a day twice that two positions choose.
      const positions = r.end.startsWith(';COUNT') ? r.positions?.slice(0, 1) : r.positions
      // In the week of its start the library counts from the start only.
      if (positions && hasBy && !weeks && r.freq !== 'WEEKLY') parts.push(`BYSETPOS=${positions.join()}`)
      // Of weeks over the new year the library leaves days out, and then counts on.
      return parts.filter(Boolean).join(';') + (weeks && r.end.startsWith(';COUNT') ? '' : r.end)
    })

  it('has the days that the library gives', () => {
    fc.assert(
      fc.property(anyRule, number(day('2024-01-01'), day('2027-12-31')).map(isoDay), (text, start) => {
        // One day at least: the library takes minutes to find out that a rule has none.
        fc.pre(
          recurrenceDays(rule(text.replace(/;COUNT=\d+|;UNTIL=\d+/, '')), day(start)).hasAny(
            day('2030-07-01'),
            day('2060-12-31'),
          ),
        )
        const [from, to] = ['2023-06-01', '2030-06-30']
        const isSure = (iso: string): boolean => !text.includes('BYWEEKNO') || !/-(01-0[1-3]|12-(29|3.))$/.test(iso)
        expect(days(text, start, from, to).filter(isSure)).toEqual(byLibrary(text, start, from, to).filter(isSure))
      }),
      { numRuns: 125 },
    )
  })

  it('has a day before the end that a later place, written first, lies beyond', () => {
    const text = 'FREQ=YEARLY;BYYEARDAY=182,-185;BYSETPOS=-1,4,1'
    expect(days(text, '2024-01-01', '2030-01-01', '2030-06-30')).toEqual(['2030-06-30'])
    expect(days(text, '2024-01-01', '2030-01-01', '2030-07-01')).toEqual(['2030-06-30', '2030-07-01'])
  })

  it('asked about one late day gives the same as read from its start', () => {
    fc.assert(
      fc.property(anyRule, number(day('2060-01-01'), day('2060-12-31')), (text, late) => {
        const read = recurrenceDays(rule(text), day('2024-03-01'))
        read.list(day('2024-01-01'), late)
        expect(recurrenceDays(rule(text), day('2024-03-01')).has(late)).toBe(read.has(late))
      }),
      { numRuns: 50 },
    )
  })

  it('takes what it does not say from its start', () => {
    expect(days('FREQ=YEARLY', '2024-02-29', '2024-01-01', '2032-12-31')).toEqual([
      '2024-02-29',
      '2028-02-29',
      '2032-02-29',
    ])
    expect(days('FREQ=MONTHLY', '2027-01-31', '2027-01-01', '2027-06-30')).toEqual([
      '2027-01-31',
      '2027-03-31',
      '2027-05-31',
    ])
    expect(days('FREQ=YEARLY;BYWEEKNO=20', '2027-01-07', '2027-01-01', '2027-12-31')).toEqual(['2027-05-20'])
  })

  it('has its start only if the start fits, and counts from it', () => {
    expect(days('FREQ=WEEKLY;BYDAY=MO;COUNT=2', '2027-03-09', '2027-01-01', '2027-12-31')).toEqual([
      '2027-03-15',
      '2027-03-22',
    ])
  })

  it('counts places in the whole of the period in which it starts', () => {
    expect(days('FREQ=MONTHLY;BYDAY=MO;BYSETPOS=1,3;COUNT=3', '2027-03-09', '2027-01-01', '2027-12-31')).toEqual([
      '2027-03-15',
      '2027-04-05',
      '2027-04-19',
    ])
  })

  it('unites numbered and plain weekdays', () => {
    expect(days('FREQ=MONTHLY;BYDAY=1MO,FR', '2027-03-01', '2027-03-01', '2027-03-31')).toEqual([
      '2027-03-01',
      '2027-03-05',
      '2027-03-12',
      '2027-03-19',
      '2027-03-26',
    ])
  })

  it('gives a last week its days in the new year, whatever day weeks begin on', () => {
    expect(days('FREQ=YEARLY;BYWEEKNO=52;BYDAY=SA,MO;WKST=SU', '2024-01-01', '2026-12-01', '2028-02-01')).toEqual([
      '2026-12-28',
      '2027-01-02',
      '2027-12-27',
      '2028-01-01',
    ])
  })

  it('gives week 1 its days in the old year', () => {
    expect(days('FREQ=YEARLY;BYWEEKNO=-53,2;BYDAY=TH;WKST=TU', '2024-01-01', '2026-06-01', '2027-06-01')).toEqual([
      '2026-12-31',
      '2027-01-07',
    ])
    expect(days('FREQ=YEARLY;BYWEEKNO=1;BYDAY=MO,TU,WE,TH,FR,SA,SU', '2024-01-01', '2024-12-01', '2025-01-31')).toEqual(
      ['2024-12-30', '2024-12-31', '2025-01-01', '2025-01-02', '2025-01-03', '2025-01-04', '2025-01-05'],
    )
  })

  it('that can never be ends quickly', () => {
    expect(days('FREQ=MONTHLY;BYMONTH=2;BYMONTHDAY=30;COUNT=3', '2000-01-01', '2000-01-01', '9999-12-31')).toEqual([])
    expect(days('FREQ=YEARLY;INTERVAL=900000000000000', '2000-01-01', '2000-01-01', '9999-12-31')).toEqual([
      '2000-01-01',
    ])
  })
})

describe('a recurrence is refused', () => {
  it.each([
    ['FREQ=DAILY;FREQ=DAILY', 'twice'],
    ['freq=DAILY', 'not a part'],
    ['RRULE:FREQ=DAILY', 'not a part'],
    ['INTERVAL=2', 'FREQ is missing'],
    ['FREQ=HOURLY', 'FREQ is one of'],
    ['FREQ=DAILY;COUNT=2;UNTIL=20270101', 'COUNT and UNTIL'],
    ['FREQ=DAILY;INTERVAL=0', 'INTERVAL'],
    ['FREQ=DAILY;COUNT=0', 'COUNT'],
    ['FREQ=DAILY;COUNT=-1', 'COUNT'],
    ['FREQ=MONTHLY;BYWEEKNO=1', 'BYWEEKNO'],
    ['FREQ=MONTHLY;BYYEARDAY=1', 'BYYEARDAY'],
    ['FREQ=WEEKLY;BYMONTHDAY=1', 'BYMONTHDAY'],
    ['FREQ=WEEKLY;BYDAY=1MO', 'numbered'],
    ['FREQ=YEARLY;BYWEEKNO=1;BYDAY=1MO', 'numbered'],
    ['FREQ=DAILY;BYSETPOS=1', 'BYSETPOS'],
    ['FREQ=MONTHLY;BYMONTHDAY=32', 'BYMONTHDAY'],
    ['FREQ=MONTHLY;BYMONTHDAY=0', 'BYMONTHDAY'],
    ['FREQ=YEARLY;BYMONTH=13', 'BYMONTH'],
    ['FREQ=YEARLY;BYMONTH=', 'BYMONTH'],
    ['FREQ=MONTHLY;BYDAY=0MO', 'BYDAY'],
    ['FREQ=MONTHLY;BYDAY=54MO', 'BYDAY'],
    ['FREQ=DAILY;UNTIL=20270229', 'UNTIL'],
    ['FREQ=DAILY;UNTIL=20270101T000000', 'UNTIL'],
    ['FREQ=DAILY;BYHOUR=1', 'BYHOUR=1'],
    ['FREQ=DAILY;WKST=XX', 'WKST'],
    ['FREQ=DAILY;', 'not a part'],
    ['', 'not a part'],
  ])('%s: %s', (text, said) => {
    expect(parseRecurrence(text, 'days')).toMatchObject({ ok: false, fault: expect.stringContaining(said) as string })
  })

  it('with seconds of 60, and takes what only times have where times are meant', () => {
    expect(parseRecurrence('FREQ=DAILY;BYSECOND=60', 'times').ok).toBe(false)
    expect(parseRecurrence('FREQ=SECONDLY;BYHOUR=1;BYYEARDAY=-1;UNTIL=20270101T000000Z', 'times').ok).toBe(true)
  })
})
