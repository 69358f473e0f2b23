'use client'
import { useQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useId, useState, type KeyboardEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import type { ComingBar } from '@/service/forecast/ahead'
import type { Lane } from '@/service/watch/watch'
import { inHand } from '@/app/shared/runs/in-hand'
import { api } from '@/ui/api'
import { clock, duration } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { useNow } from '@/ui/hooks/now'
import { useWidth } from '@/ui/hooks/width'
import { Empty, Panel } from '@/ui/parts/layout'
import { ButtonLink } from '@/ui/parts/button'
import { Link } from '@/ui/parts/link'

const NAME_WIDTH = 132
const BACK_MS = 60 * 60_000
const AHEAD_MS = 20 * 60_000
/** Height of one run where several share a lane. */
const LAYER = 15
/** Bars that are narrower show no title: a letter of it tells nothing. Pixels. */
const LABELLED = 46
/** Half of what the time at a tick takes, pixels. */
const TICK = 18

const Grid = styled(Panel)`
  position: relative;
  overflow: hidden auto;
  min-height: 120px;
  .all {
    position: relative;
  }
  .row {
    position: relative;
    display: flex;
    min-height: 26px;
    border-top: 1px solid var(--line);
  }
  .row:first-child {
    position: sticky;
    top: 0;
    z-index: 3;
    background: var(--sheet);
    border-bottom: 1px solid var(--line);
    border-top: 0;
    color: var(--mute);
    font-size: 11.5px;
  }
  .name {
    width: ${NAME_WIDTH}px;
    flex: none;
    display: flex;
    justify-content: space-between;
    align-items: center;
    padding: 0 10px;
    border-right: 1px solid var(--line);
    font-weight: 600;
    white-space: nowrap;
  }
  .name span {
    font-weight: 400;
    color: var(--mute);
    font-size: 12px;
  }
  .name .robot {
    font-weight: 500;
    padding-left: 10px;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .track {
    position: relative;
    flex: 1;
  }
  .row:nth-child(2) {
    border-top: 0;
  }
  .needle {
    z-index: 4;
    position: absolute;
    top: 0;
    bottom: 0;
    width: 2px;
    background: var(--brass);
    pointer-events: none;
  }
`
const Bar = styled(Link)<{ $state: string }>`
  position: absolute;
  height: 18px;
  top: 4px;
  padding: 0 5px;
  text-overflow: ellipsis;
  border-radius: 2px;
  font-size: 11.5px;
  line-height: 18px;
  font-weight: 600;
  white-space: nowrap;
  overflow: hidden;
  background: ${(p) => ({ running: 'var(--running)', succeeded: 'var(--succeeded-soft)', failed: 'var(--failed)', lost: 'var(--lost)' })[p.$state] ?? 'var(--skipped-soft)'};
  color: ${(p) => ({ running: 'var(--on-solid)', succeeded: 'var(--succeeded)', failed: 'var(--on-solid)', lost: 'var(--on-solid)' })[p.$state] ?? 'var(--skipped)'};
  /* What went well is calm, and still seen: its edge stands out from the ground by more than 3 to 1. */
  box-shadow: ${(p) => (['running', 'failed', 'lost'].includes(p.$state) ? 'none' : `inset 0 0 0 1px var(--${p.$state === 'succeeded' ? 'succeeded' : 'skipped'})`)};
  &[aria-selected='true'] {
    z-index: 2;
    outline: 2px solid var(--brass);
  }
`
const Rest = styled.div`
  position: absolute;
  height: 18px;
  top: 4px;
  border: 1px dashed var(--running);
  border-left: 0;
  border-radius: 0 2px 2px 0;
`
/** What the forecast expects here: an outline, since it is not there yet. */
const Foreseen = styled.div`
  position: absolute;
  top: 4px;
  height: 18px;
  padding: 0 5px;
  border: 1px dashed var(--mute);
  border-radius: 2px;
  color: var(--mute);
  font-size: 11.5px;
  line-height: 16px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
`
/** The title of what has just begun: over the rest of its usual length, or behind it. */
const Beside = styled.span`
  position: absolute;
  right: 4px;
  top: 4px;
  line-height: 18px;
  padding: 0 5px;
  font-size: 11.5px;
  font-weight: 600;
  color: var(--running);
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  pointer-events: none;
`
const Away = styled.div`
  position: absolute;
  right: 8px;
  top: 4px;
  font-size: 11.5px;
  line-height: 18px;
  color: var(--lost);
  font-weight: 600;
`

/** A lane for each machine, or each system: what ran in the last hour, what runs, and until when it usually lasts. */
export function Lanes({ bySystem }: { readonly bySystem: boolean }): ReactNode {
  const { zone } = useMe()
  const nowMs = useNow()
  const [boxWidth, box] = useWidth(830)
  const width = boxWidth - NAME_WIDTH
  const { data } = useQuery({
    queryKey: bySystem ? ['lanes', 'system'] : ['lanes'],
    queryFn: () => api.get<Lane[]>(bySystem ? '/lanes?hours=1&by=system' : '/lanes?hours=1'),
  })

  const { data: coming = [] } = useQuery({
    queryKey: ['coming', 'lanes'],
    queryFn: () => api.get<ComingBar[]>('/lanes/coming'),
    refetchInterval: 30_000,
  })

  if (!data || nowMs === 0) return <Grid style={{ minHeight: 200 }} ref={box} />
  if (data.length === 0 && bySystem)
    return (
      <Panel>
        <Empty title="No system yet" action={<ButtonLink href="/fleet?tab=systems">To the systems</ButtonLink>}>
          A system is what work is done on without an agent there. What ran on each has a lane here.
        </Empty>
      </Panel>
    )
  if (data.length === 0) {
    return (
      <Panel>
        <Empty
          title="No machine is enrolled yet"
          action={
            <ButtonLink href="/fleet?enrol=1" kind="strong">
              Enrol an agent
            </ButtonLink>
          }
        >
          Bugle carries work out through agents. Enrol one with a pasted command, and its lane appears here.
        </Empty>
      </Panel>
    )
  }
  const fromMs = nowMs - BACK_MS
  const x = (ms: number): number => Math.max(0, Math.min(1, (ms - fromMs) / (BACK_MS + AHEAD_MS))) * width
  const firstTick = Math.ceil(fromMs / 900_000) * 900_000
  const drawn = data
    .flatMap(perPlace)
    .map((lane) =>
      layers(
        lane,
        lane.robot === null && !bySystem
          ? coming.filter(({ agent, startAt }) => agent === lane.agent && Date.parse(startAt) > nowMs)
          : [],
        fromMs,
        nowMs,
      ),
    )
  // One at either end, half of which would stand beside the track, is left out; on a narrow one every second or third.
  const room = Math.max(1, Math.ceil((3 * TICK) / Math.max(1, x(firstTick + 900_000) - x(firstTick))))
  const ticks = Array.from({ length: 6 }, (_, i) => firstTick + i * 900_000).filter(
    (ms, i) => i % room === 0 && ms < nowMs + AHEAD_MS && x(ms) >= TICK && x(ms) <= width - TICK,
  )
  return (
    <Grid ref={box} aria-label={bySystem ? 'Systems' : 'Machines'}>
      <div className="all">
        <div className="row">
          <div className="name" style={{ fontWeight: 400 }}>
            {bySystem ? 'system' : 'machine'}
            <span>{bySystem ? 'runs' : 'slots'}</span>
          </div>
          <div className="track">
            {ticks.map((ms) => (
              <span
                key={ms}
                style={{ position: 'absolute', left: x(ms), lineHeight: '26px', transform: 'translateX(-50%)' }}
              >
                {clock(ms, zone)}
              </span>
            ))}
          </div>
        </div>
        {drawn.map(({ lane, bars, ahead, depth }) => (
          <div
            className="row"
            key={`${lane.systemId ?? ''} ${lane.agentId} ${lane.robot?.id ?? ''}`}
            style={{ height: depth === 1 ? 26 : depth * LAYER + 6 }}
          >
            <div className="name">
              {lane.robot ? (
                <>
                  <Link href={`/fleet/robots/${lane.robot.id}`} className="robot">
                    {lane.robot.name}
                  </Link>
                  <span>robot</span>
                </>
              ) : (
                <>
                  <Link
                    href={lane.systemId === null ? `/fleet/agents/${lane.agentId}` : `/fleet/systems/${lane.systemId}`}
                    title={lane.agent}
                    style={{ overflow: 'hidden', textOverflow: 'ellipsis' }}
                  >
                    {lane.agent}
                  </Link>
                  <span>
                    {lane.systemId !== null ? (
                      lane.used || ''
                    ) : lane.away ? (
                      '—'
                    ) : (
                      <Link href={inHand({ agent: lane.agentId })}>
                        {lane.used}/{lane.slots}
                      </Link>
                    )}
                  </span>
                </>
              )}
            </div>
            <Track
              label={`Runs ${lane.robot ? `of ${lane.robot.name} ` : ''}on ${lane.agent}`}
              bars={bars.map(({ bar }) => ({ key: `${bar.runId} ${bar.startedAt}`, href: `/runs/${bar.runId}` }))}
            >
              {(chosen, idOf) =>
                bars.map(({ bar, layer }) => {
                  const begins = new Date(bar.startedAt).getTime()
                  const ends = bar.endedAt ? new Date(bar.endedAt).getTime() : nowMs
                  const left = x(begins)
                  const usualEnd = bar.endedAt === null && bar.usualMs !== null ? begins + bar.usualMs : 0
                  const place =
                    depth === 1
                      ? {}
                      : { top: 3 + layer * LAYER, height: LAYER - 2, lineHeight: `${LAYER - 2}px`, fontSize: 11 }
                  const barWidth = Math.max(3, x(ends) - left - 1)
                  const rest = Math.max(0, x(usualEnd) - x(nowMs))
                  const label = `${bar.title} #${bar.runId}, ${bar.state}, ${duration(ends - begins)}`
                  const key = `${bar.runId} ${bar.startedAt}`
                  return (
                    <span key={key} role="presentation">
                      <Bar
                        id={idOf(key)}
                        role="option"
                        tabIndex={-1}
                        aria-selected={key === chosen}
                        href={`/runs/${bar.runId}`}
                        $state={bar.state}
                        title={label}
                        aria-label={label}
                        style={{ left, width: barWidth, ...(barWidth < LABELLED ? { padding: 0 } : {}), ...place }}
                      >
                        {barWidth >= LABELLED && bar.title}
                      </Bar>
                      {rest > 0 && <Rest style={{ left: x(nowMs), width: rest, ...place }} />}
                      {bar.endedAt === null && barWidth < LABELLED && (
                        <Beside aria-hidden="true" style={{ left: x(nowMs) + (rest < LABELLED ? rest : 0), ...place }}>
                          {bar.title}
                        </Beside>
                      )}
                    </span>
                  )
                })
              }
            </Track>
            {ahead.map(({ bar: { title, startAt, endAt }, layer }) => {
              const left = x(Date.parse(startAt))
              const wide = Math.max(3, x(Date.parse(endAt)) - left - 1)
              const place =
                depth === 1
                  ? {}
                  : { top: 3 + layer * LAYER, height: LAYER - 2, lineHeight: `${LAYER - 4}px`, fontSize: 11 }
              return (
                <Foreseen
                  key={`${title} ${startAt} ${layer}`}
                  style={{ left: NAME_WIDTH + left, width: wide, ...(wide < LABELLED ? { padding: 0 } : {}), ...place }}
                  title={`${title}, expected ${clock(startAt, zone)} to ${clock(endAt, zone)}`}
                >
                  {wide >= LABELLED && title}
                </Foreseen>
              )
            })}
            {lane.away && lane.robot === null && (
              <Away>{lane.systemId === null ? 'out of reach' : 'does not answer'}</Away>
            )}
          </div>
        ))}
        <div className="needle" style={{ left: NAME_WIDTH + x(nowMs) - 1 }} />
      </div>
    </Grid>
  )
}

/** A machine's lane without its robots, or one of its robots'. */
interface Place extends Lane {
  readonly robot: Lane['robots'][number] | null
}

/** A lane for the machine itself and one for each of its robots; what a robot did that is gone meanwhile stays with the machine. */
function perPlace(lane: Lane): Place[] {
  const known = new Set(lane.robots.map(({ id }) => id))
  return [
    { ...lane, robot: null, bars: lane.bars.filter(({ robotId }) => robotId === null || !known.has(robotId)) },
    ...lane.robots.map((robot) => ({ ...lane, robot, bars: lane.bars.filter(({ robotId }) => robotId === robot.id) })),
  ]
}

/**
 * The runs of one lane are one stop for the keyboard: arrows choose among them, Enter opens the chosen one. A bar is as wide as its run was long, often too
 * narrow to be a stop of its own.
 */
function Track({
  label,
  bars,
  children,
}: {
  label: string
  bars: readonly { key: string; href: string }[]
  children: (chosen: string | undefined, idOf: (key: string) => string) => ReactNode
}): ReactNode {
  const router = useRouter()
  const id = useId()
  const [chosen, setChosen] = useState<string>()
  const idOf = (key: string): string => `${id}-${key.replaceAll(/\W/g, '-')}`
  if (bars.length === 0) return <div className="track" />
  const at = bars.findIndex((bar) => bar.key === chosen)
  const onKeyDown = (event: KeyboardEvent): void => {
    const to = { ArrowRight: at + 1, ArrowLeft: at - 1, Home: 0, End: bars.length - 1 }[event.key]
    if (to !== undefined) {
      event.preventDefault()
      setChosen(bars[Math.max(0, Math.min(bars.length - 1, to))]?.key)
    } else if (event.key === 'Enter' && bars[at]) router.push(bars[at].href)
  }
  return (
    <div
      className="track"
      role="listbox"
      aria-label={label}
      aria-orientation="horizontal"
      tabIndex={0}
      aria-activedescendant={chosen === undefined || at < 0 ? undefined : idOf(chosen)}
      onKeyDown={onKeyDown}
      onFocus={() => setChosen((before) => (bars.some((bar) => bar.key === before) ? before : bars.at(-1)?.key))}
      onBlur={() => setChosen(undefined)}
    >
      {children(chosen, idOf)}
    </div>
  )
}

/** Layers of what is expected beyond these are not drawn: the lane is about what is. */
const MOST_LAYERS = 4

interface Layers {
  readonly lane: Place
  readonly bars: readonly { bar: Lane['bars'][number]; layer: number }[]
  readonly ahead: readonly { bar: ComingBar; layer: number }[]
  readonly depth: number
}

/** Runs that overlap on one machine share its lane in layers, which makes the lane higher; what is expected comes where it has room. */
function layers(lane: Place, coming: readonly ComingBar[], fromMs: number, nowMs: number): Layers {
  const ends: number[] = []
  const layerFor = (begins: number, until: number): number => {
    let layer = ends.findIndex((end) => end <= begins)
    if (layer < 0) layer = ends.length
    ends[layer] = until
    return layer
  }
  const bars = lane.bars
    .filter((bar) => bar.endedAt === null || new Date(bar.endedAt).getTime() > fromMs)
    .map((bar) => {
      const begins = new Date(bar.startedAt).getTime()
      return { bar, layer: layerFor(begins, bar.endedAt ? new Date(bar.endedAt).getTime() : Infinity) }
    })
  // What runs takes as long as usual, or goes on for a little.
  for (const { bar, layer } of bars)
    if (bar.endedAt === null)
      ends[layer] = Math.max(nowMs + 60_000, new Date(bar.startedAt).getTime() + (bar.usualMs ?? 0))
  const ahead = coming.flatMap((bar) => {
    const begins = Date.parse(bar.startAt)
    if (ends.length >= MOST_LAYERS && !ends.some((end) => end <= begins)) return []
    return [{ bar, layer: layerFor(begins, Date.parse(bar.endAt)) }]
  })
  return { lane, bars, ahead, depth: Math.max(1, ends.length) }
}
