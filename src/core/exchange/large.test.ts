import { TooMuch, within } from '../budget'
import { isoDay } from '../calendar/days'
import { readCrontab } from './crontab-in'
import { readICalendar } from './icalendar-in'

describe('a file of few characters that stands for very much', () => {
  const ics = (events: string): string =>
    `BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Marram//Tests//EN\r\n${events}END:VCALENDAR\r\n`
  const event = (lines: string, n: number): string =>
    `BEGIN:VEVENT\r\nUID:${n}\r\nSUMMARY:${'Dry dock '.repeat(22)}\r\n${lines}\r\nEND:VEVENT\r\n`
  const many = (lines: (n: number) => string, n = 200): string =>
    ics(Array.from({ length: n }, (_, i) => event(lines(i), i)).join(''))

  it('of long events with long names is refused, not answered with megabytes', () => {
    const text = many((n) => `DTSTART;VALUE=DATE:${2000 + n * 10}0101\r\nDTEND;VALUE=DATE:${2009 + n * 10}1231`)
    expect(text.length).toBeLessThan(100_000)
    expect(() => readICalendar(text)).toThrow('more than a million characters')
    // The same days over and over are no more than once.
    expect(
      JSON.stringify(readICalendar(many(() => 'DTSTART;VALUE=DATE:20270101\r\nDTEND;VALUE=DATE:20280101'))).length,
    ).toBeLessThan(120_000)
  })

  it('of long events that repeat says which are not carried over', () => {
    const read = readICalendar(
      many(() => 'DTSTART;VALUE=DATE:20270101\r\nDTEND;VALUE=DATE:20370101\r\nRRULE:FREQ=YEARLY', 1),
    )
    expect(read.days).toEqual({ dates: [] })
    expect(read.notCarried).toEqual([
      {
        what: expect.stringContaining('Dry dock') as string,
        why: 'it repeats and lasts 3653 days; at most 31 are carried over',
      },
    ])
    expect(() =>
      readICalendar(
        many(
          (n) =>
            `DTSTART;VALUE=DATE:20270101\r\nDTEND;VALUE=DATE:20270201\r\nRRULE:FREQ=YEARLY;INTERVAL=${n + 1}\r\nEXDATE;VALUE=DATE:20280101,20290101`,
          300,
        ),
      ),
    ).toThrow('more than a million characters')
  })

  it('takes its steps from the budget', () => {
    const dates = Array.from({ length: 2000 }, (_, i) => isoDay(19_000 + (i % 50)).replaceAll('-', '')).join(',')
    const text = many(() => `DTSTART;VALUE=DATE:20220101\r\nDTEND;VALUE=DATE:20320101\r\nRDATE;VALUE=DATE:${dates}`, 1)
    expect(() => within(1_000_000, () => readICalendar(text))).toThrow(TooMuch)
  })

  it('of a great many things that days cannot hold tells the first thousand and how many more there are', () => {
    const sailings = Array.from(
      { length: 1201 },
      (_, i) => `BEGIN:VEVENT\r\nSUMMARY:Sailing ${i}\r\nDTSTART:20270101T060000\r\nEND:VEVENT\r\n`,
    )
    const { notCarried } = readICalendar(ics(sailings.join('')))
    expect(notCarried).toHaveLength(1001)
    expect(notCarried[1000]).toEqual({ what: 'And more', why: '201 things like these are not carried over either' })
  })

  it('as a crontab of 70,000 lines is refused, and one of 20,000 equal commands is read', () => {
    const lines = (n: number): string => Array.from({ length: n }, () => '*/5 * * * * /opt/tools/poll tide').join('\n')
    expect(() => readCrontab(lines(70_000), 'user')).toThrow('70,000 lines; at most 20,000')
    const read = readCrontab(lines(20_000), 'user')
    expect(read.jobs).toHaveLength(1)
    expect(new Set(read.triggers.map(({ id }) => id)).size).toBe(20_000)
    expect(read.triggers.at(-1)?.id).toBe('poll-tide-20001')
  })

  it('as a crontab of settings keeps to what a job can have', () => {
    const settings = Array.from({ length: 2000 }, (_, i) => `NAME_${i}=${'v'.repeat(40)}`)
    const read = readCrontab([...settings, '0 6 * * * true'].join('\n'), 'user')
    expect(JSON.stringify(read.jobs).length).toBeLessThan(25_000)
    expect(read.lines.filter(({ kind }) => kind === 'not carried').at(-1)?.says).toBe(
      'Settings come to at most 16384 characters together.',
    )
    const each = settings.slice(0, 300).concat(Array.from({ length: 5000 }, (_, i) => `0 6 * * * run ${i}`))
    expect(() => readCrontab(each.join('\n'), 'user')).toThrow('more than 8 million characters')
    const long = readCrontab(`0 6 * * * ${'x'.repeat(9000)}\n0 7 * * * true`, 'user')
    expect(long.lines.map(({ says }) => says)).toEqual(['A line has at most 8192 characters.', 'Starts true.'])
  })
})
