import { Calendars } from './calendars'
import { isoDay, parseIsoDay } from './days'
import { holidayKey, SHIPPED_HOLIDAYS, SHIPPED_HOLIDAYS_VERSION } from './holiday-data'
import type { DayRule } from './rule'
import { calendarFor, snapshotFor, snapshotSource, type HolidaySnapshot } from './snapshot'

const SCOTLAND = { country: 'GB', region: 'SCT', types: ['public' as const] }
const NORWAY = { country: 'NO', types: ['public' as const] }
const snapshot = (rule: DayRule): HolidaySnapshot => snapshotFor(rule, 2027) as HolidaySnapshot

describe('the holidays a calendar was made from', () => {
  it('are kept for every query in its rule, however deep, from last year to ten years on', () => {
    const rule: DayRule = {
      all: [{ not: { holidays: SCOTLAND } }, { any: [{ weekdays: ['MO'] }, { holidays: NORWAY }] }],
    }
    const kept = snapshot(rule)
    expect(kept.version).toBe(SHIPPED_HOLIDAYS_VERSION)
    expect(Object.keys(kept.wishes).sort()).toEqual([holidayKey(SCOTLAND), holidayKey(NORWAY)].sort())
    expect(Object.keys(kept.wishes[holidayKey(NORWAY)] ?? {})).toEqual(
      Array.from({ length: 12 }, (_, i) => String(2026 + i)),
    )
    expect(kept.wishes[holidayKey(NORWAY)]?.[2027]).toContainEqual(['2027-05-17', expect.any(String)])
  })

  it('are none for a rule that names none, also if one that it refers to does', () => {
    expect(snapshotFor({ weekdays: ['MO'] }, 2027)).toBeNull()
    expect(snapshotFor({ not: { calendar: 'office-holidays' } }, 2027)).toBeNull()
  })

  it('stay as they were when the data changes, and beyond their years follow the data', () => {
    const kept = snapshot({ holidays: NORWAY })
    const older: HolidaySnapshot = {
      version: '0.0.1',
      wishes: { [holidayKey(NORWAY)]: { ...kept.wishes[holidayKey(NORWAY)], 2027: [['2027-02-03', 'Old feast']] } },
    }
    const source = snapshotSource(older)
    expect(source.holidays(NORWAY, 2027)).toEqual([{ day: parseIsoDay('2027-02-03'), name: 'Old feast' }])
    expect(source.holidays(NORWAY, 2028)).toEqual(SHIPPED_HOLIDAYS.holidays(NORWAY, 2028))
    expect(source.holidays(NORWAY, 2050)).toEqual(SHIPPED_HOLIDAYS.holidays(NORWAY, 2050))
    expect(source.holidays(SCOTLAND, 2027)).toEqual(SHIPPED_HOLIDAYS.holidays(SCOTLAND, 2027))
  })

  it('hold for that calendar alone: two calendars may stand on different states of the data', () => {
    const wishes = { [holidayKey(NORWAY)]: { 2027: [['2027-02-03', 'Old feast'] as const] } }
    const calendars = new Calendars(
      [
        calendarFor({ slug: 'old', title: 'Old', rule: { holidays: NORWAY }, holidays: { version: '0.0.1', wishes } }),
        calendarFor({ slug: 'new', title: 'New', rule: { holidays: NORWAY }, holidays: null }),
        calendarFor({
          slug: 'both',
          title: 'Both',
          rule: { any: [{ calendar: 'old' }, { calendar: 'new' }] },
          holidays: null,
        }),
      ],
      SHIPPED_HOLIDAYS,
    )
    const days = (slug: string): string[] => {
      const set = calendars.calendar(slug)
      const out: string[] = []
      for (let day = parseIsoDay('2027-01-01') as number; day <= (parseIsoDay('2027-12-31') as number); day++)
        if (set.has(day)) out.push(isoDay(day))
      return out
    }
    expect(days('old')).toEqual(['2027-02-03'])
    expect(days('new')).toContain('2027-05-17')
    expect(days('both')).toEqual([...days('old'), ...days('new')].sort())
  })
})
