'use client'
import { useQuery } from '@tanstack/react-query'
import dynamic from 'next/dynamic'
import { useRouter } from 'next/navigation'
import type { ReactNode } from 'react'
import { bandOf, driftOfValues } from '@/core/stats/band'
import type { JobMeasures, MeasuredRun } from '@/service/timing/measure-list'
import type { ChartPoint } from '@/app/shared/measures/value-chart'
import { bandWords, beyondPath, trendWords, figure } from '@/app/shared/measures/words'
import { api } from '@/ui/api'
import { count, duration } from '@/ui/format'
import { ButtonLink } from '@/ui/parts/button'
import { Crumb } from '@/ui/parts/crumb'
import { Empty, Page, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'

const ValueChart = dynamic(() => import('@/app/shared/measures/value-chart').then((module) => module.ValueChart), {
  ssr: false,
})

/** How long the last runs of a job took, and whatever they measured: each over its runs, with what is usual. */
export function JobMeasuresScreen({ id }: { id: number }): ReactNode {
  const { data, error } = useQuery({
    queryKey: ['runs', 'measures', id],
    queryFn: () => api.get<JobMeasures>(`/jobs/${id}/measures`),
  })
  if (error) return <Trouble error={error} />
  if (!data) return <Page aria-busy="true" />
  const { title, slug, runs } = data
  const names = [...new Set(runs.flatMap(({ values }) => Object.keys(values)))].sort()
  return (
    <Page>
      <Row $wrap>
        <Crumb href={`/work/jobs/${id}`}>{title}</Crumb>
        <h1>Measures</h1>
        <Small>of its last {count(runs.length, 'run')}; each dot is one, and leads to it</Small>
        <Spring />
        <ButtonLink href={`/runs?job=${id}`}>Its runs</ButtonLink>
      </Row>
      {runs.length === 0 && (
        <Panel>
          <Empty title="It has not run yet">
            What its runs hand on that is a number stands here, over its runs, beside how long they took.
          </Empty>
        </Panel>
      )}
      {runs.length > 0 && (
        <Measure
          name="How long it took"
          points={pointsOf(runs, ({ lengthMs }) => lengthMs ?? undefined)}
          said={(ms) => duration(ms)}
        />
      )}
      {names.map((name) => (
        <Measure
          key={name}
          name={name}
          points={pointsOf(runs, ({ values }) => values[name])}
          said={figure}
          slug={slug}
        />
      ))}
      {runs.length > 0 && names.length === 0 && (
        <Small>
          Its runs hand on no numbers. What one writes into the file <code>$BUGLE_OUTPUTS</code>, a line{' '}
          <code>name=12</code> each, is measured from then on.
        </Small>
      )}
    </Page>
  )
}

const pointsOf = (runs: readonly MeasuredRun[], of: (run: MeasuredRun) => number | undefined): ChartPoint[] =>
  runs.flatMap((run) => {
    const value = of(run)
    return value === undefined ? [] : [{ atMs: run.endedAtMs, value, runId: run.id, state: run.state }]
  })

function Measure({
  name,
  points,
  said,
  slug,
}: {
  readonly name: string
  readonly points: readonly ChartPoint[]
  readonly said: (value: number) => string
  /** Of the job, where it is a measure that a trigger can look at. */
  readonly slug?: string
}): ReactNode {
  const router = useRouter()
  const band = bandOf(points.map(({ value }) => value))
  const drift = trendWords(driftOfValues(points))
  const last = points.at(-1)
  return (
    <Panel style={{ padding: '8px 12px' }} aria-label={name}>
      <Row $wrap>
        <h2>{name}</h2>
        {last && (
          <Small>
            last <Link href={`/runs/${last.runId}`}>{said(last.value)}</Link>
            {band && `, usually ${bandWords(band, said)}`}
            {drift !== '' && `, ${drift}`}
          </Small>
        )}
        <Spring />
        {slug !== undefined && (
          <ButtonLink href={beyondPath({ kind: 'job', slug, name }, band)}>Start something beyond a limit</ButtonLink>
        )}
      </Row>
      <ValueChart points={points} said={said} onOpen={(runId) => router.push(`/runs/${runId}`)} />
    </Panel>
  )
}
