'use client'
import { useRouter } from 'next/navigation'
import { useEffect, type ReactNode } from 'react'
import { ButtonLink } from '@/ui/parts/button'
import { Empty } from '@/ui/parts/layout'
import { CalendarEditor } from './calendar-editor'
import { contentOf, type Content } from './content'
import { useShelf } from './calendars-shelf'

const NEW: Content = { title: '', notes: '', rule: { weekdays: ['MO', 'TU', 'WE', 'TH', 'FR'] } }

/** One calendar of the shelf: the first, a new one, or the one with this id. */
export function CalendarsScreen({ which }: { which: number | 'first' | 'new' }): ReactNode {
  const router = useRouter()
  const { calendars, calculator, today, brought, setBrought } = useShelf()
  const first = calendars[0]?.id
  useEffect(() => {
    if (which === 'first' && first !== undefined) router.replace(`/timing/calendars/${first}`)
  }, [which, first, router])
  useEffect(() => {
    if (which !== 'new') setBrought(null)
  }, [which, setBrought])
  const common = { calendars, calculator, today }
  if (which === 'new')
    return <CalendarEditor key={JSON.stringify(brought)} calendar={null} initial={brought ?? NEW} {...common} />
  const chosen = calendars.find(({ id }) => id === which)
  if (chosen) return <CalendarEditor key={chosen.id} calendar={chosen} initial={contentOf(chosen)} {...common} />
  if (which === 'first' && first !== undefined) return null
  return which === 'first' ? (
    <Empty
      title="No calendar yet"
      action={
        <ButtonLink href="/timing/calendars/new" kind="strong">
          New calendar
        </ButtonLink>
      }
    >
      A calendar is a set of days that is defined once and used by many triggers: working days, holidays, month ends,
      seasons.
    </Empty>
  ) : (
    <Empty title="There is no such calendar">It may have been removed. Choose another one on the left.</Empty>
  )
}
