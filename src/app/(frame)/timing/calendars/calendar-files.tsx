'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { IcsPreview } from '@/service/exchange/calendar-files'
import type { CalendarRow } from '@/service/timing/calendars'
import { api, type ApiProblem } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { Button, Download } from '@/ui/parts/button'
import { Dialog } from '@/ui/parts/dialog'
import { FileButton } from '@/ui/parts/file-button'
import { Mono, Row, SCROLLS, Small, Spring, Stack } from '@/ui/parts/layout'
import type { Content } from './content'

/** Asks for an iCalendar file, shows what it becomes and what cannot be carried over, and gives it as a new calendar to look at and save. */
export function ImportIcs({
  onRead,
  whyNot,
}: {
  onRead: (content: Content) => void
  whyNot: string | undefined
}): ReactNode {
  const say = useSay()
  const [read, setRead] = useState<{ name: string; preview: IcsPreview } | null>(null)
  const look = (text: string, name: string): void => {
    api.post<IcsPreview>('/calendars/read-ics', { text }).then(
      (preview) => setRead({ name, preview }),
      (error: ApiProblem) => say(`${name}: ${error.detail}`, { bad: true }),
    )
  }
  const preview = read?.preview
  return (
    <>
      <FileButton accept={['.ics', 'text/calendar']} onText={look} whyNot={whyNot}>
        .ics
      </FileButton>
      <Dialog title={`${read?.name ?? ''} becomes a calendar`} isOpen={read !== null} onClose={() => setRead(null)}>
        {read && preview && (
          <Stack>
            <p>
              {count(preview.events, 'event')} of whole days{preview.title && ` from “${preview.title}”`}:{' '}
              {preview.says.slice(0, 400)}
            </p>
            {preview.notCarried.length > 0 && (
              <Stack $gap={3}>
                <b>{count(preview.notCarried.length, 'thing')} cannot be carried over:</b>
                <div style={{ maxHeight: 220, ...SCROLLS }}>
                  {preview.notCarried.map(({ what, why }, i) => (
                    <div key={i}>
                      {what} <Small>{why}</Small>
                    </div>
                  ))}
                </div>
              </Stack>
            )}
            <Row>
              <Spring />
              <Button onPress={() => setRead(null)}>Leave it</Button>
              <Button
                kind="strong"
                onPress={() => {
                  onRead({
                    title: preview.title ?? read.name.replace(/\.ics$/i, ''),
                    notes: `From ${read.name}.`,
                    rule: preview.days,
                  })
                  setRead(null)
                }}
              >
                Look at it
              </Button>
            </Row>
          </Stack>
        )}
      </Dialog>
    </>
  )
}

/** The calendar as a file, and as an address that other programs read. */
export function CalendarFiles({ calendar, year }: { calendar: CalendarRow; year: number }): ReactNode {
  const { why } = useMay('design')
  const client = useQueryClient()
  const say = useSay()
  const [address, setAddress] = useState<string | null>(null)
  const refuse = (error: ApiProblem): void => say(error.detail, { bad: true })
  const done = (): void => void client.invalidateQueries({ queryKey: ['calendars'] })
  const subscribe = (): void => {
    api.post<{ path: string }>(`/calendars/${calendar.id}/subscription`).then(({ path }) => {
      setAddress(window.location.origin + path)
      done()
    }, refuse)
  }
  const end = (): void => {
    api.delete(`/calendars/${calendar.id}/subscription`).then(() => {
      setAddress(null)
      done()
      say('The address is no longer answered.')
    }, refuse)
  }
  return (
    <Stack $gap={6}>
      <h2>As a file, or to subscribe to</h2>
      <Row $wrap>
        <Download href={`/api/v1/calendars/${calendar.id}/days.ics?from=${year}&to=${year}`}>{year} as .ics</Download>
        <Download href={`/api/v1/calendars/${calendar.id}/days.ics`}>Four years</Download>
        <Button onPress={subscribe} whyNot={why}>
          {calendar.isSubscribed ? 'New address' : 'Address to subscribe'}
        </Button>
        {calendar.isSubscribed && (
          <Button kind="quiet" onPress={end} whyNot={why}>
            End it
          </Button>
        )}
      </Row>
      {address && (
        <Stack role="status" $gap={3}>
          <Small>Shown only now. Whoever has it can read the days; an address made before no longer works.</Small>
          <Mono style={{ overflowWrap: 'anywhere' }}>{address}</Mono>
        </Stack>
      )}
    </Stack>
  )
}
