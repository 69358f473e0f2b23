import { Timings } from '../bundle/timings'
import { Calendars } from '../calendar/calendars'
import { isoDay, parseIsoDay } from '../calendar/days'
import { SHIPPED_HOLIDAYS } from '../calendar/holiday-data'
import type { DayRule } from '../calendar/rule'
import { readCrontab } from './crontab-in'
import { writeCrontab, type CrontabRequest } from './crontab-out'
import { ICalendarFault, readICalendar } from './icalendar-in'
import { writeICalendar } from './icalendar-out'

const day = (text: string): number => parseIsoDay(text) as number
const daysOf = (rule: DayRule, from: string, to: string): string[] =>
  new Calendars([], SHIPPED_HOLIDAYS).daysOf(rule).list(day(from), day(to)).map(isoDay)

const file = (...lines: string[]): string =>
  [
    'BEGIN:VCALENDAR',
    'VERSION:2.0',
    'PRODID:-//Marram//EN',
    'X-WR-CALNAME:Market days',
    ...lines,
    'END:VCALENDAR',
    '',
  ].join('\r\n')
const event = (...lines: string[]): string[] => [
  'BEGIN:VEVENT',
  `UID:${lines.join('')}`,
  'DTSTAMP:20270101T000000Z',
  ...lines,
  'END:VEVENT',
]

describe('an iCalendar file', () => {
  it('gives single days with their names, and stretches of several', () => {
    const read = readICalendar(
      file(
        ...event('DTSTART;VALUE=DATE:20270503', 'SUMMARY:Stocktaking'),
        ...event('DTSTART;VALUE=DATE:20271230', 'DTEND;VALUE=DATE:20280102'),
        ...event('DTSTART;VALUE=DATE:20270601', 'DURATION:P2D'),
      ),
    )
    expect(read.title).toBe('Market days')
    expect(read.days).toEqual({
      dates: [
        { date: '2027-05-03', title: 'Stocktaking' },
        '2027-06-01',
        '2027-06-02',
        '2027-12-30',
        '2027-12-31',
        '2028-01-01',
      ],
    })
    expect(read.notCarried).toEqual([])
  })

  it('gives recurrences with exceptions, further dates and moved instances', () => {
    const read = readICalendar(
      file(
        ...[
          'BEGIN:VEVENT',
          'UID:m',
          'DTSTART;VALUE=DATE:20270105',
          'RRULE:FREQ=MONTHLY;BYDAY=1TU,3TU;UNTIL=20270401T000000Z',
          'EXDATE;VALUE=DATE:20270119',
          'RDATE;VALUE=DATE:20270131',
          'SUMMARY:Market',
          'END:VEVENT',
        ],
        ...[
          'BEGIN:VEVENT',
          'UID:m',
          'RECURRENCE-ID;VALUE=DATE:20270202',
          'DTSTART;VALUE=DATE:20270203',
          'SUMMARY:Market, a day late',
          'END:VEVENT',
        ],
      ),
    )
    expect(daysOf(read.days, '2027-01-01', '2027-12-31')).toEqual([
      '2027-01-05',
      '2027-01-31',
      '2027-02-03',
      '2027-02-16',
      '2027-03-02',
      '2027-03-16',
    ])
    expect(read.notCarried).toEqual([{ what: 'Market', why: expect.stringContaining('name is not shown') as string }])
  })

  it('repeats events of several days', () => {
    const read = readICalendar(
      file(...event('DTSTART;VALUE=DATE:20270108', 'DTEND;VALUE=DATE:20270110', 'RRULE:FREQ=WEEKLY;COUNT=2')),
    )
    expect(daysOf(read.days, '2027-01-01', '2027-12-31')).toEqual([
      '2027-01-08',
      '2027-01-09',
      '2027-01-15',
      '2027-01-16',
    ])
  })

  it('keeps a first day that does not fit its rule', () => {
    const read = readICalendar(file(...event('DTSTART;VALUE=DATE:20270106', 'RRULE:FREQ=WEEKLY;BYDAY=MO;COUNT=2')))
    expect(daysOf(read.days, '2027-01-01', '2027-12-31')).toEqual(['2027-01-06', '2027-01-11', '2027-01-18'])
    expect(read.notCarried[0]?.why).toContain('does not fit')
  })

  it.each([
    ['a time of day', event('DTSTART:20270503T120000Z', 'SUMMARY:Call'), 'Call', 'time of day'],
    ['a cancelled event', event('DTSTART;VALUE=DATE:20270503', 'STATUS:CANCELLED', 'SUMMARY:Off'), 'Off', 'cancelled'],
    [
      'a recurrence by the hour',
      event('DTSTART;VALUE=DATE:20270503', 'RRULE:FREQ=HOURLY', 'SUMMARY:Odd'),
      'Odd',
      'in a way that days cannot',
    ],
    [
      'a description and an alarm',
      event('DTSTART;VALUE=DATE:20270503', 'DESCRIPTION:x', 'LOCATION:Kelda'),
      'LOCATION',
      'no place',
    ],
    ['a task', ['BEGIN:VTODO', 'UID:t', 'END:VTODO'], 'VTODO', 'only events'],
    [
      'an exception with a time',
      event('DTSTART;VALUE=DATE:20270503', 'RRULE:FREQ=DAILY;COUNT=2', 'EXDATE:20270504T000000Z', 'SUMMARY:X'),
      'X',
      'its date was taken',
    ],
  ])('lists %s', (_, lines, what, why) => {
    expect(readICalendar(file(...lines)).notCarried).toContainEqual({
      what,
      why: expect.stringContaining(why) as string,
    })
  })

  it.each(['', 'BEGIN:VEVENT\r\nEND:VEVENT', 'hello', 'BEGIN:VCALENDAR\r\nBEGIN:VEVENT'])('“%s” is none', (text) => {
    expect(() => readICalendar(text)).toThrow(ICalendarFault)
  })

  it('written and read again has the same days', () => {
    const rule: DayRule = {
      any: [
        { between: ['05-15', '05-20'] },
        { nth: { n: -1, of: { weekdays: ['MO'] }, in: 'month' } },
        { dates: ['2027-12-31'] },
      ],
    }
    const days = new Calendars([], SHIPPED_HOLIDAYS).daysOf(rule)
    const text = writeICalendar({
      id: 'c',
      title: 'Ärger, “Ebbe”; Flut',
      days,
      from: day('2027-01-01'),
      to: day('2027-12-31'),
      nowMs: Date.UTC(2027, 0, 1),
      nameOf: (d) => (isoDay(d) === '2027-05-17' ? 'Syttende mai' : undefined),
    })
    const read = readICalendar(text)
    expect(read.title).toBe('Ärger, “Ebbe”; Flut')
    expect(daysOf(read.days, '2026-01-01', '2028-12-31')).toEqual(daysOf(rule, '2027-01-01', '2027-12-31'))
    expect(text).toContain('SUMMARY:Syttende mai')
    expect(text.split('\r\n').every((line) => Buffer.byteLength(line) <= 75)).toBe(true)
  })
})

describe('a crontab', () => {
  const USER = [
    '# nightly work',
    'PATH=/usr/local/bin:/usr/bin',
    'MAILTO=ops@marram.example',
    'CRON_TZ=Europe/Oslo',
    '',
    '*/15 6-22 * * 1-5  /opt/tarn/till-file --harbour "Tarn Head"',
    '@daily cd /srv && ./clean up 5\\%',
    '@reboot /bin/true',
    '0 25 * * * /bin/true',
    '5 4 * * sun /opt/tarn/till-file --harbour "Tarn Head"',
    '0 1 * * * mail -s x%body',
    'nonsense',
  ].join('\n')

  it('becomes jobs and triggers, with a report line by line', () => {
    const read = readCrontab(USER, 'user')
    expect(read.lines.map(({ line, kind }) => `${line} ${kind}`)).toEqual([
      '1 comment',
      '2 setting',
      '3 not carried',
      '4 setting',
      '6 trigger',
      '7 trigger',
      '8 not carried',
      '9 not carried',
      '10 trigger',
      '11 not carried',
      '12 not carried',
    ])
    expect(read.jobs).toEqual([
      {
        id: 'till-file-harbour-tarn-head',
        title: 'till-file --harbour "Tarn Head"',
        command: '/opt/tarn/till-file --harbour "Tarn Head"',
        environment: { PATH: '/usr/local/bin:/usr/bin' },
      },
      {
        id: 'srv-clean-up-5',
        title: 'srv ./clean up 5%',
        command: 'cd /srv && ./clean up 5%',
        environment: { PATH: '/usr/local/bin:/usr/bin' },
      },
    ])
    expect(read.triggers.map(({ job, cron, zone, line }) => [job, cron, zone, line])).toEqual([
      ['till-file-harbour-tarn-head', '*/15 6-22 * * 1-5', 'Europe/Oslo', 6],
      ['srv-clean-up-5', '0 0 * * *', 'Europe/Oslo', 7],
      ['till-file-harbour-tarn-head', '5 4 * * sun', 'Europe/Oslo', 10],
    ])
  })

  it('of the system has a user before the command', () => {
    const read = readCrontab('17 * * * * root run-parts /etc/cron.hourly\n17 * * * * root', 'system')
    expect(read.jobs[0]).toMatchObject({ command: 'run-parts /etc/cron.hourly' })
    expect(read.lines.map((line) => [line.kind, line.says])).toEqual([
      ['trigger', expect.stringContaining('ran as root')],
      ['not carried', expect.stringContaining('a user stands')],
    ])
  })

  const NOW = Date.UTC(2026, 10, 26) / 1000
  const request = (timing: CrontabRequest['timing'], more: Partial<CrontabRequest> = {}): CrontabRequest => ({
    title: 'Till file',
    command: 'till 100%',
    zone: 'Europe/London',
    timing,
    ...more,
  })
  const write = (...requests: CrontabRequest[]): ReturnType<typeof writeCrontab> => {
    const timings = new Timings([], SHIPPED_HOLIDAYS, 'UTC')
    return writeCrontab(requests, (timing) => timings.schedule(timing), NOW)
  }

  it.each<[CrontabRequest['timing'], string[]]>([
    [
      { time: { at: ['06:30', '18:30'] }, on: { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] } },
      ['30 6,18 * * 1-5 till 100\\%'],
    ],
    [{ time: { at: ['06:30', '18:00'] } }, ['30 6 * * * till 100\\%', '0 18 * * * till 100\\%']],
    [{ time: { every: { step: 'PT15M' } } }, ['*/15 * * * * till 100\\%']],
    [
      { time: { every: { step: 'PT30M', from: '06:00', until: '08:00' } } },
      ['0,30 6,7 * * * till 100\\%', '0 8 * * * till 100\\%'],
    ],
    [{ time: { cron: '5  4 1 * mon' } }, ['5 4 1 * mon till 100\\%']],
  ])('says %j', (timing, lines) => {
    const { text, notCarried } = write(request(timing))
    expect(notCarried).toEqual([])
    expect(text.split('\n')).toEqual(['CRON_TZ=Europe/London', '# Till file', ...lines, ''])
    const again = readCrontab(text, 'user')
    expect(again.jobs[0]?.command).toBe('till 100%')
    expect(again.triggers).toHaveLength(lines.length)
  })

  it.each<[string, CrontabRequest, string]>([
    ['seconds', request({ time: { at: ['06:30:10'] } }), 'times'],
    [
      'holidays left out',
      request({ time: { at: ['06:30'] }, notOn: { holidays: { country: 'GB' } } }),
      'on 2026-12-25 at 06:30 it would fire, and the trigger does not',
    ],
    [
      'another rule for gaps',
      request({ time: { at: ['01:30'] }, gap: 'skip' }),
      'on 2027-03-28 at 02:30 it would fire',
    ],
    [
      'steps by elapsed time over a clock change',
      request({ time: { every: { step: 'PT1H', from: '00:00', until: '06:00' } } }),
      'on 2027-10-31 at 01:00 it would not fire, and the trigger does',
    ],
    ['an end', request({ time: { at: ['06:30'] }, until: '2027-01-01' }), 'on 2027-01-02 at 06:30'],
    [
      'month ends',
      request({ time: { at: ['06:30'] }, on: { nth: { n: -1, of: { weekdays: ['MO'] }, in: 'month' } } }),
      'weekdays alone',
    ],
    ['a script', request({ time: { at: ['06:30'] } }, { command: null, why: 'It is a script.' }), 'script'],
  ])('does not say %s', (_, one, why) => {
    expect(write(one)).toEqual({
      text: '',
      notCarried: [{ title: 'Till file', why: expect.stringContaining(why) as string }],
    })
  })
})
