'use client'
import type { ReactNode } from 'react'
import { BAR, TITLE_CHAR } from './scale'

/** How a step looks: the state of its run, or `planned` where nothing runs. */
export interface BarLook {
  readonly title: string
  readonly detail: string
  readonly state: 'planned' | 'waiting' | 'ready' | 'running' | 'succeeded' | 'failed' | 'skipped' | 'cancelled'
  readonly tolerated?: boolean
  readonly held?: boolean
  /** It has a gate: open, closed, or not looked at yet. */
  readonly gate?: 'open' | 'closed' | 'unknown' | null
  /** How much of it is beyond its usual length, 0 to 1. */
  readonly slow?: number
  /** Of what runs: how much of it is behind it, 0 to 1. */
  readonly done?: number
  readonly hasFault?: boolean
}

const LOOKS: Record<BarLook['state'], { fill: string; ink: string; dash: boolean }> = {
  planned: { fill: 'var(--waiting-soft)', ink: 'var(--ink)', dash: false },
  waiting: { fill: 'none', ink: 'var(--mute)', dash: true },
  ready: { fill: 'var(--waiting-soft)', ink: 'var(--ink)', dash: true },
  running: { fill: 'var(--running-soft)', ink: 'var(--running)', dash: false },
  succeeded: { fill: 'var(--succeeded-soft)', ink: 'var(--succeeded)', dash: false },
  failed: { fill: 'var(--failed)', ink: 'var(--on-solid)', dash: false },
  skipped: { fill: 'none', ink: 'var(--mute)', dash: true },
  cancelled: { fill: 'var(--skipped-soft)', ink: 'var(--skipped)', dash: true },
}

interface Props {
  readonly id: string
  readonly look: BarLook
  readonly x: number
  readonly y: number
  readonly width: number
  /** Pixels free behind it. */
  readonly room: number
  readonly isChosen: boolean
  readonly decides: boolean
  /** Of a flow step: whether its steps are folded away; null: it has none. */
  readonly folded: boolean | null
  readonly onFold: () => void
  readonly onChoose: () => void
  readonly onOpen: () => void
}

/** Pixels of a character of what stands behind the title. */
const DETAIL_CHAR = 5.7

/** About as many characters as fit into so many pixels, at so many pixels a character. */
const cut = (text: string, px: number, each: number): string => {
  const most = Math.floor(px / each)
  return text.length <= most ? text : most < 4 ? '' : `${text.slice(0, most - 1)}…`
}

/** How high what is behind a running step is drawn, at the foot of its bar. */
const DONE = 4
/** Words beside a bar stay legible where a line goes through them. */
const BESIDE = { fill: 'var(--ink)', paintOrder: 'stroke', stroke: 'var(--sheet)', strokeWidth: 3 } as const
const OVER_HATCH = { paintOrder: 'stroke', stroke: 'var(--late-soft)', strokeWidth: 3.5 } as const

export function Bar({
  id,
  look,
  x,
  y,
  width,
  room,
  isChosen,
  decides,
  folded,
  onFold,
  onChoose,
  onOpen,
}: Props): ReactNode {
  const { fill, ink, dash } = LOOKS[look.state]
  const soft = look.tolerated ? 'var(--failed-soft)' : fill
  const color = look.tolerated ? 'var(--failed)' : ink
  const left = folded === null ? 8 : 22
  const inside = width - left - 4
  const need = look.title.length * TITLE_CHAR
  const beside = room - 12
  // Whole within the bar, else whole behind it, else cut within it if that says anything.
  const isInside = inside >= need || (inside >= 60 && beside < need)
  const textX = isInside ? x + left : x + width + 7
  const space = isInside ? inside : beside
  const title = cut(look.title, space, TITLE_CHAR)
  const detail = title === look.title ? cut(look.detail, space - title.length * TITLE_CHAR - 6, DETAIL_CHAR) : ''
  const label = [
    look.title,
    look.held ? 'held' : look.state === 'planned' ? '' : look.state,
    look.tolerated ? 'tolerated' : '',
    look.detail,
  ]
    .filter(Boolean)
    .join(', ')
  return (
    <g id={id} className="step" role="img" aria-label={label} onClick={onChoose} onDoubleClick={onOpen}>
      <title>{label}</title>
      <rect
        x={x}
        y={y}
        width={width}
        height={BAR}
        rx={2}
        fill={soft}
        // What is pale has an edge that stands out from the ground by more than 3 to 1.
        stroke={
          dash ? 'var(--mute)' : look.state === 'failed' ? 'none' : look.state === 'planned' ? 'var(--waiting)' : color
        }
        strokeDasharray={dash ? '3 2' : undefined}
      />
      {(look.slow ?? 0) > 0 && <Hatch x={x + width * (1 - (look.slow ?? 0))} y={y} width={width * (look.slow ?? 0)} />}
      {look.done !== undefined && (
        <rect
          x={x}
          y={y + BAR - DONE}
          width={width * Math.min(1, Math.max(0, look.done))}
          height={DONE}
          fill="var(--running)"
        />
      )}
      {isChosen && (
        <rect
          x={x - 2.5}
          y={y - 2.5}
          width={width + 5}
          height={BAR + 5}
          rx={3}
          fill="none"
          stroke="var(--ink)"
          strokeWidth={1.8}
        />
      )}
      {decides && <rect x={x} y={y + BAR + 1} width={width} height={2.5} fill="var(--brass)" />}
      {look.gate && (
        <path
          d={`M${x} ${y + BAR / 2 - 5.5}l5.5 5.5l-5.5 5.5l-5.5 -5.5z`}
          fill={look.gate === 'closed' ? 'var(--mute)' : 'var(--sheet)'}
          stroke="var(--mute)"
        />
      )}
      {folded !== null && (
        <path
          d={folded ? `M${x + 9} ${y + 5}l5 5l-5 5z` : `M${x + 7} ${y + 7}l5 5l5 -5z`}
          fill={isInside ? color : 'var(--ink)'}
          role="button"
          aria-label={folded ? 'Unfold' : 'Fold'}
          onClick={(event) => {
            event.stopPropagation()
            onFold()
          }}
        />
      )}
      {look.held && <path d={`M${x + width - 12} ${y + 6}v8m4 -8v8`} stroke={color} strokeWidth={2} />}
      {look.hasFault && <circle cx={x + width} cy={y} r={4.5} fill="var(--failed)" />}
      <text
        x={textX}
        y={y + 14}
        className="label"
        style={isInside ? { fill: color, ...((look.slow ?? 0) > 0 && OVER_HATCH) } : BESIDE}
      >
        <tspan fontWeight={600}>{title}</tspan>
        {detail && (
          <tspan dx={6} className="small" style={isInside ? { fill: color } : {}}>
            {detail}
          </tspan>
        )}
      </text>
    </g>
  )
}

/** Diagonal strokes over what is beyond the usual length. */
function Hatch({ x, y, width }: { x: number; y: number; width: number }): ReactNode {
  const strokes = Array.from({ length: Math.min(200, Math.ceil((width + BAR) / 6)) }, (_, i) => {
    const from = x - BAR + i * 6
    const [x1, x2] = [Math.max(x, from), Math.min(x + width, from + BAR)]
    return x2 > x1 ? `M${x1} ${y + BAR - (x1 - from)}L${x2} ${y + BAR - (x2 - from)}` : ''
  })
  return (
    <>
      <rect x={x} y={y} width={width} height={BAR} fill="var(--late-soft)" />
      <path d={strokes.join('')} stroke="var(--late)" strokeWidth={1.4} opacity={0.75} />
    </>
  )
}
