'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { HolidayState } from '@/service/timing/calendar-uses'
import type { CalendarRow } from '@/service/timing/calendars'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Row, Small, Spring } from '@/ui/parts/layout'

const Box = styled.section`
  border: 1px solid var(--late);
  border-left-width: 4px;
  border-radius: 3px;
  background: var(--late-soft);
  padding: 8px 12px;
`
const WORDS = { added: 'new', dropped: 'no longer', renamed: 'renamed' }
const MOST = 6

/** What newer holiday data would change in a calendar that was made from an older state of it. */
export function HolidayNews({ calendar, isChanged }: { calendar: CalendarRow; isChanged: boolean }): ReactNode {
  const { why } = useMay('design')
  const client = useQueryClient()
  const say = useSay()
  const { data } = useQuery({
    queryKey: ['calendars', calendar.id, 'holidays', calendar.version],
    queryFn: () => api.get<HolidayState>(`/calendars/${calendar.id}/holidays`),
    enabled: calendar.holidays !== null,
  })
  if (!data || data.changes.length === 0) return null
  const take = (): void => {
    api.post(`/calendars/${calendar.id}/holidays`).then(
      () => {
        for (const key of ['calendars', 'triggers', 'coming']) void client.invalidateQueries({ queryKey: [key] })
        say(`${calendar.title} now has the holidays of data ${data.shipped}.`)
      },
      (error: ApiProblem) => say(error.detail, { bad: true }),
    )
  }
  return (
    <Box role="status">
      <Row>
        <b>
          The holiday data has changed since this calendar was made ({data.madeFrom} → {data.shipped})
        </b>
        <Spring />
        <Button onPress={take} whyNot={why ?? (isChanged ? 'Save or leave your changes first.' : undefined)}>
          Take it over
        </Button>
      </Row>
      {data.changes.slice(0, MOST).map(({ day, name, what }) => (
        <div key={day + what}>
          <b>{WORDS[what]}</b> <span className="mono">{day}</span> {name}
        </div>
      ))}
      {data.changes.length > MOST && <Small>and {data.changes.length - MOST} more</Small>}
    </Box>
  )
}
