'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { ForecastDeadline, ForecastRun } from '@/core/forecast/report'
import type { Names } from '@/service/forecast/nights'
import { clock, duration } from '@/ui/format'
import { useMe } from '@/ui/hooks/me'
import { useWidth } from '@/ui/hooks/width'
import { Button } from '@/ui/parts/button'
import { Panel, Row, Small, Spring } from '@/ui/parts/layout'
import { chainOf, jobTitle, margin, triggerTitle } from './words'

const Lines = styled.ol`
  position: relative;
  padding: 0 0 8px;
  li {
    position: relative;
    height: 26px;
    border-top: 1px solid var(--line);
    line-height: 26px;
  }
  .name {
    position: absolute;
    left: 12px;
    width: 230px;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
  }
  .bar {
    position: absolute;
    top: 5px;
    height: 16px;
    border-radius: 2px;
  }
  .says {
    position: absolute;
    font-size: 12px;
    color: var(--mute);
    white-space: nowrap;
  }
`
const LEFT = 250
const RIGHT = 20
/** Px that the words beside a bar take. */
const SAYS = 210

/** The runs that lead to a deadline, each from when it was ready to when it ends, on one time scale with the due time. */
export function Chain({
  deadline,
  runs,
  names,
  onClose,
}: {
  deadline: ForecastDeadline
  runs: readonly ForecastRun[]
  names: Names
  onClose: () => void
}): ReactNode {
  const { zone } = useMe()
  const [width, box] = useWidth(1000)
  const chain = chainOf({ runs }, deadline)
  const due = Date.parse(deadline.due)
  const first = Math.min(Date.parse(deadline.occurrence), ...chain.map(({ ready }) => Date.parse(ready)))
  const last = Math.max(due, ...chain.map(({ end }) => Date.parse(end ?? deadline.due)))
  const x = (at: number): number => LEFT + ((at - first) / Math.max(1, last - first)) * (width - LEFT - RIGHT)
  return (
    <Panel ref={box} style={{ flex: 'none' }} aria-label={`What leads to ${triggerTitle(names, deadline.trigger)}`}>
      <Row style={{ padding: '8px 12px' }} $wrap>
        <h2>{triggerTitle(names, deadline.trigger)}</h2>
        <Small>
          starts {clock(deadline.occurrence, zone)}, due {clock(deadline.due, zone)}
          {deadline.finish &&
            `, by usual lengths it ends at ${clock(deadline.finish, zone)} (${margin(deadline.margin)})`}
        </Small>
        <Spring />
        <Button kind="quiet" onPress={onClose}>
          Hide
        </Button>
      </Row>
      {chain.length === 0 ? (
        <Small style={{ padding: '0 12px 10px', display: 'block' }}>
          It does not end in this stretch, so nothing decides its end.
        </Small>
      ) : (
        <Lines>
          {chain.map((run) => {
            const [ready, start, end] = [run.ready, run.start ?? run.ready, run.end ?? run.ready].map((at) =>
              Date.parse(at),
            ) as [number, number, number]
            const isOther = run.trigger !== deadline.trigger || run.occurrence !== deadline.occurrence
            const words = `${clock(start, zone)} to ${clock(end, zone)} (${duration(end - start)})${start > ready ? `, waited ${duration(start - ready)}` : ''} on ${run.agent ?? '—'}`
            const isTight = x(end) > width - SAYS - 40
            // With no room on either side the bar is long: the words are on it.
            const isOn = isTight && x(ready) - LEFT < SAYS
            const beside = isTight ? { right: width - x(ready) + 8 } : { left: x(end) + 8 }
            return (
              <li key={`${run.number} ${run.ready}`} title={words}>
                <span className="name">
                  <b>{jobTitle(names, run.target)}</b> {isOther && <Small>of {triggerTitle(names, run.trigger)}</Small>}
                </span>
                {start > ready && (
                  <span
                    className="bar"
                    style={{
                      left: x(ready),
                      width: Math.max(1, x(start) - x(ready)),
                      border: '1px dashed var(--late)',
                    }}
                  />
                )}
                <span
                  className="bar"
                  style={{
                    left: x(start),
                    width: Math.max(3, x(end) - x(start)),
                    background: isOther ? 'var(--late)' : 'var(--running)',
                  }}
                />
                <span className="says" style={isOn ? { left: x(start) + 8, color: 'var(--on-solid)' } : beside}>
                  {clock(start, zone)} to {clock(end, zone)} · {duration(end - start)}
                  {start > ready && ` · waited ${duration(start - ready)}`}
                </span>
              </li>
            )
          })}
          <span
            aria-hidden="true"
            style={{ position: 'absolute', left: x(due), top: 0, bottom: 8, width: 2, background: 'var(--failed)' }}
          />
        </Lines>
      )}
    </Panel>
  )
}
