import type { ReactNode } from 'react'
import type { ShownEvent } from '@/core/events/facts'
import { count, duration } from '@/ui/format'
import { Link } from '@/ui/parts/link'

/** What happened that started a run, with a way to it. */
export function EventWords({ event }: { readonly event: ShownEvent }): ReactNode {
  if ('run' in event)
    return (
      <Link href={`/runs/${event.run}`}>
        {event.work ?? 'a run'} #{event.run} {event.state === 'lost' ? 'was lost' : event.state}
      </Link>
    )
  if ('queue' in event) {
    const { queue, waiting, oldestSeconds } = event
    const oldest = oldestSeconds === null ? '' : `, one for ${duration(oldestSeconds * 1000)}`
    return `${count(waiting, 'item')} waited in ${queue}${oldest}`
  }
  if ('measure' in event) return `${event.measure} of ${event.of} was ${event.value.toLocaleString('en')}`
  if ('file' in event) return `${event.file} on ${event.agent}`
  return /^event /.test(event.call) ? event.call : 'a call'
}
