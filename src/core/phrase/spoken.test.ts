import { homeOf, type NamedCalendar } from './names'
import { PhraseFault, readPhrase } from './read'

const CALENDARS: NamedCalendar[] = [
  { id: 'working-days', title: 'Working days' },
  { id: 'month-end-close', title: 'Month-end close' },
]
const WORKDAYS = { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] }
const read = (text: string, calendars = CALENDARS): object => readPhrase(text, calendars, homeOf('GB-SCT'))
const at = (...times: string[]): object => ({ time: { at: times } })
const BANK = { holidays: { country: 'GB', region: 'SCT', types: ['public', 'bank'] } }

/** How people say when, and what it means. */
describe('what people say', () => {
  it.each<[string, object]>([
    ['bank holidays at 09:00', { on: BANK, ...at('09:00') }],
    ['weekdays except bank holidays at 17:00', { on: WORKDAYS, notOn: BANK, ...at('17:00') }],
    ['public holidays at 10:00', { on: { holidays: { country: 'GB', region: 'SCT' } }, ...at('10:00') }],
    ['every business day at 18:00', { on: { calendar: 'working-days' }, ...at('18:00') }],
    [
      'last business day of the month at 18:30',
      { on: { nth: { n: -1, of: { calendar: 'working-days' }, in: 'month' } }, ...at('18:30') },
    ],
    ['hourly between 08:00 and 18:00', { time: { every: { step: 'PT1H', from: '08:00', until: '18:00' } } }],
    ['at 9 and 17', at('09:00', '17:00')],
    ['every day at 9, 12 and 17', at('09:00', '12:00', '17:00')],
    ['every night at 01:30', at('01:30')],
    ['every morning at 6', at('06:00')],
    ['every morning at 6 and 9', at('06:00', '09:00')],
    ['every evening at 8', at('20:00')],
    ['every evening at 20:00', at('20:00')],
    ['Monday through Thursday at 18:00', { on: { weekdays: ['MO', 'TU', 'WE', 'TH'] }, ...at('18:00') }],
    ['weekdays at 17:00 London time', { on: WORKDAYS, ...at('17:00'), zone: 'Europe/London' }],
    ['weekdays at 17:00 in New York time', { on: WORKDAYS, ...at('17:00'), zone: 'America/New_York' }],
    ['weekdays at 17:00 Europe/London', { on: WORKDAYS, ...at('17:00'), zone: 'Europe/London' }],
    ['at 06:00 UTC every day', { ...at('06:00'), zone: 'UTC' }],
    [
      'every day at 06:00 from 2027-03-01 until 2027-04-30',
      { ...at('06:00'), from: '2027-03-01', until: '2027-04-30' },
    ],
    ['weekdays at 06:00 until 2027-04-30', { on: WORKDAYS, ...at('06:00'), until: '2027-04-30' }],
    ['weekdays at half past 17', { on: WORKDAYS, ...at('17:30') }],
    ['half past 5pm every day', at('17:30')],
    ['quarter to 9pm every day', at('20:45')],
    ['quarter past noon every day', at('12:15')],
    ['every morning at half past six', at('06:30')],
    ['twice a day at 6 and 18', at('06:00', '18:00')],
    ['three times a day at 06:00, 12:00 and 18:00', at('06:00', '12:00', '18:00')],
    ['hourly at :20', { time: { every: { step: 'PT1H', from: '00:20' } } }],
    ['every hour at 5 past', { time: { every: { step: 'PT1H', from: '00:05' } } }],
    ['every hour at 20 past between 8 and 18', { time: { every: { step: 'PT1H', from: '08:20', until: '18:00' } } }],
    ['*/15 6-22 * * 1-5', { time: { cron: '*/15 6-22 * * 1-5' } }],
    ['0 6 * * *', { time: { cron: '0 6 * * *' } }],
    ['30 2 * * MON-FRI', { time: { cron: '30 2 * * MON-FRI' } }],
    ['month-end close at 18:00', { on: { calendar: 'month-end-close' }, ...at('18:00') }],
    [
      'every other Wednesday at 10:00',
      { on: { rrule: 'FREQ=WEEKLY;INTERVAL=2;BYDAY=WE', start: expect.any(String) }, ...at('10:00') },
    ],
  ])('%s', (text, rule) => {
    expect(read(text)).toEqual(rule)
  })

  it.each([
    'end of month at 18:00',
    'at the end of the month at 18:00',
    'month end at 18:00',
    'the last day of the month at 18:00',
  ])('“%s” is the last day of the month', (text) => {
    expect(read(text)).toEqual(read('last day of the month at 18:00'))
  })

  it('days are counted from the end of the month, not from a calendar that is called a little like it', () => {
    expect(read('two days before month end at 10:00')).toEqual(read('2 days before the last day of the month at 10:00'))
  })
})

describe('what can mean two things is asked', () => {
  const NAMED = [{ id: 'month-end', title: 'Month-end close' }]
  it.each<[string, string, NamedCalendar[]]>([
    ['every third Wednesday at 10:00', '“the 3rd Wednesday of the month”, or “every 3 weeks on Wednesday”', CALENDARS],
    ['two days before month end at 10:00', 'the last day of the month or the calendar “Month-end close”', NAMED],
    ['bi-weekly on Monday at 09:00', 'the word has two meanings', CALENDARS],
    ['twice a day', 'At which two times?', CALENDARS],
    ['twice a day at 06:00', 'At which two times?', CALENDARS],
    ['weekdays at half past 5', 'Write 05:30 or 17:30', CALENDARS],
    ['every night at 1', '1am or 1pm', CALENDARS],
    ['Monday through Thursday at 18:00 and Friday at 16:00', 'take two triggers', CALENDARS],
    ['every day at 06:00 Europe/Kelda', 'There is no zone Europe/Kelda', CALENDARS],
    ['at 06:00 UTC every day London time', 'There is a zone already', CALENDARS],
    ['99 6 * * *', 'This reads like a crontab line.', CALENDARS],
  ])('%s', (text, said, calendars) => {
    expect(() => read(text, calendars)).toThrow(PhraseFault)
    expect(() => read(text, calendars)).toThrow(said)
  })

  it('whose holidays, where no country is known', () => {
    expect(() => readPhrase('bank holidays at 09:00')).toThrow('Of which country?')
  })
})
