'use client'
import { EventWords } from '@/app/shared/runs/event-words'
import type { ReactNode } from 'react'
import type { FlowRunFull, RunFull } from '@/service/runs/run-page'
import { cityOf } from '@/ui/format'
import { useAtNow } from '@/ui/hooks/now'
import { FactItem, Small } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Time } from '@/ui/parts/time'
import { causeOf } from '@/core/run/cause'

/** What is told of every run, of a job or a flow: what started it, when, and by when it is to be done. */
export function CommonFacts({ run }: { run: RunFull | FlowRunFull }): ReactNode {
  return (
    <>
      <FactItem name="started by">
        {!run.isFlow && run.flow ? (
          <Link href={`/runs/${run.flow.id}?step=${encodeURIComponent(run.flow.path)}`}>
            {run.flow.title} #{run.flow.id}, step {run.flow.path}
          </Link>
        ) : run.trigger && !run.trigger.isGone ? (
          <Link href={`/timing/triggers/${run.trigger.id}`}>
            {run.trigger.occurrence
              ? `trigger ${run.trigger.title}`
              : `${causeOf(run)}, by the trigger ${run.trigger.title}`}
          </Link>
        ) : (
          causeOf(run)
        )}
      </FactItem>
      {run.trigger?.event && (
        <FactItem name="because">
          <EventWords event={run.trigger.event} />
        </FactItem>
      )}
      {run.trigger?.occurrence && !run.trigger.event && (
        <FactItem name="occurrence">
          <Time at={run.trigger.occurrence} />
          <Small title={rulesOf(run.trigger)}>
            {' '}
            of {run.trigger.day}, {cityOf(run.trigger.zone)} · rule {run.trigger.version}
          </Small>
        </FactItem>
      )}
      {run.dueAt && (
        <FactItem name="finish by">
          <Due run={run} dueAt={run.dueAt} />
        </FactItem>
      )}
      <FactItem name={run.startedAt ? 'began' : 'asked for'}>
        <Time at={run.startedAt ?? run.createdAt} withRelative />
      </FactItem>
      {run.endedAt && (
        <FactItem name="ended">
          <Time at={run.endedAt} />
        </FactItem>
      )}
    </>
  )
}

/** The versions of the rules that made this occurrence. */
function rulesOf({ version, calendarVersions }: NonNullable<RunFull['trigger']>): string {
  const calendars = Object.entries(calendarVersions).map(([slug, n]) => `calendar ${slug} version ${n}`)
  return [`trigger version ${version}`, ...calendars].join(', ')
}

function Due({ run, dueAt }: { run: RunFull | FlowRunFull; dueAt: string }): ReactNode {
  const { endedAt } = run
  const isAtRisk = !endedAt && run.deadlineState === 'at-risk'
  const dueMs = Date.parse(dueAt)
  const isLate = useAtNow((now) => dueMs < (endedAt ? Date.parse(endedAt) : now)) ?? false
  return (
    <span style={isLate || isAtRisk ? { color: 'var(--late)' } : {}}>
      <Time at={dueAt} />
      {isLate ? (
        endedAt ? (
          ' · ended late'
        ) : (
          ' · late'
        )
      ) : isAtRisk ? (
        <>
          {' '}
          · at risk: most likely <Time at={run.foreseenAt} />
        </>
      ) : null}
    </span>
  )
}
