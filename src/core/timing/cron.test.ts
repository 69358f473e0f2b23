import { parseCron, type Cron } from './cron'

const cron = (text: string): Cron => {
  const parsed = parseCron(text)
  if (!parsed.ok) throw new Error(parsed.fault)
  return parsed.value
}

describe('a crontab time', () => {
  it('has lists, ranges, steps and names in any case', () => {
    expect(cron('*/20 6-8 1,15 JAN-mar Mon-Fri')).toEqual({
      minutes: [0, 20, 40],
      hours: [6, 7, 8],
      daysOfMonth: [1, 15],
      months: [1, 2, 3],
      daysOfWeek: [1, 2, 3, 4, 5],
      followsClock: false,
      eitherDay: true,
    })
    expect(cron('10-30/10 * * * *').minutes).toEqual([10, 20, 30])
  })

  it('knows Sunday as 0, as 7 and at the end of a range', () => {
    expect(cron('0 0 * * 7').daysOfWeek).toEqual([0])
    expect(cron('0 0 * * 5-7').daysOfWeek).toEqual([0, 5, 6])
    expect(cron('0 0 * * fri-sun').daysOfWeek).toEqual([0, 5, 6])
    expect(cron('0 0 * * sun-tue').daysOfWeek).toEqual([0, 1, 2])
  })

  it('takes a day field that begins with * for unrestricted', () => {
    expect(cron('0 0 */2 * MON').eitherDay).toBe(false)
    expect(cron('0 0 1-31 * MON').eitherDay).toBe(true)
    expect(cron('0 */2 * * *').followsClock).toBe(true)
  })

  it('may have any blanks between and around', () => {
    expect(cron('  0\t0  *   * * ').minutes).toEqual([0])
  })

  it.each([
    ['', 'has 0'],
    ['* * * *', 'has 4'],
    ['0 0 * * * *', 'has 6'],
    ['@daily', 'has 1'],
    ['60 * * * *', 'minute'],
    ['* 24 * * *', 'hour'],
    ['* * 0 * *', 'day of the month'],
    ['* * * 13 *', 'month'],
    ['* * * foo *', 'month'],
    ['* * * * 8', 'day of the week'],
    ['* * ? * *', '“?”'],
    ['* * L * *', '“L”'],
    ['* * 15W * *', '“15W”'],
    ['* * * * 5#2', '“5#2”'],
    ['5/15 * * * *', 'a step needs'],
    ['*/0 * * * *', 'from 1'],
    ['10-5 * * * *', 'ascends'],
    ['fri-mon * * * *', 'minute'],
    ['* * * * fri-mon', 'ascends'],
    ['1,,2 * * * *', '“”'],
    ['-5 * * * *', '“-5”'],
  ])('“%s” is refused: %s', (text, said) => {
    expect(parseCron(text)).toMatchObject({ ok: false, fault: expect.stringContaining(said) as string })
  })
})
