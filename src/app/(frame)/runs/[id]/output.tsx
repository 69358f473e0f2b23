'use client'
import { visible } from '@/core/schema/plain-text'
import { useQueryClient } from '@tanstack/react-query'
import { useVirtualizer } from '@tanstack/react-virtual'
import { Fragment, useCallback, useEffect, useRef, useState, type ReactNode } from 'react'
import styled from 'styled-components'
import type { AttemptRow, OutputRow, RunFull } from '@/service/runs/run-page'
import { api, queryOf, type ApiProblem } from '@/ui/api'
import { count, exact } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMe } from '@/ui/hooks/me'
import { spansOf } from '@/ui/output/ansi'
import { Button, Download } from '@/ui/parts/button'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Mute, Row, Small, Spring } from '@/ui/parts/layout'

const PAGE = 500

const Bar = styled(Row)`
  padding: 6px 12px;
  border-bottom: 1px solid var(--line);
  flex-wrap: wrap;
`
const Scroll = styled.div`
  flex: 1;
  min-height: 160px;
  overflow: auto;
  font:
    12px/17px 'JetBrains Mono Variable',
    monospace;
  padding: 4px 0;
  @media print {
    overflow: visible;
  }
`
const Line = styled.div<{ $stream: string; $hit: boolean; $wrap: boolean }>`
  position: absolute;
  left: 0;
  min-width: 100%;
  ${(p) => (p.$wrap ? 'width: 100%;' : '')}
  display: flex;
  gap: 12px;
  padding: 0 12px;
  white-space: ${(p) => (p.$wrap ? 'pre-wrap' : 'pre')};
  overflow-wrap: anywhere;
  background: ${(p) => (p.$hit ? 'var(--late-soft)' : p.$stream === 'e' ? 'var(--failed-soft)' : 'transparent')};
  color: ${(p) => (p.$stream === 'e' ? 'var(--failed)' : p.$stream === 'a' ? 'var(--mute)' : 'var(--ink)')};
  font-style: ${(p) => (p.$stream === 'a' ? 'italic' : 'normal')};
  .n {
    color: var(--mute);
    min-width: 38px;
    text-align: right;
    user-select: none;
    flex: none;
  }
  .at {
    color: var(--mute);
    flex: none;
    user-select: none;
  }
  mark {
    background: var(--brass);
    color: #16282d;
  }
`

/** Lines of an attempt, fetched page by page as they come into sight. */
function useLines(
  runId: number,
  attempt: AttemptRow,
): { total: number; line: (n: number) => OutputRow | undefined; want: (n: number) => void } {
  const client = useQueryClient()
  const pages = useRef(new Map<number, OutputRow[]>())
  const asked = useRef(new Set<number>())
  const [total, setTotal] = useState(attempt.outputLines)
  const [, redraw] = useState(0)
  const fetchPage = useCallback(
    async (page: number) => {
      if (asked.current.has(page)) return
      asked.current.add(page)
      try {
        const answer = await client.fetchQuery({
          queryKey: ['output', attempt.id, page, Date.now()],
          queryFn: () =>
            api.get<{ rows: OutputRow[]; total: number }>(
              `/runs/${runId}/output${queryOf({ attempt: attempt.id, from: page * PAGE + 1, count: PAGE })}`,
            ),
          gcTime: 0,
        })
        pages.current.set(page, answer.rows)
        setTotal((before) => Math.max(before, answer.total))
        redraw((n) => n + 1)
      } finally {
        // A page that is not full yet is asked for again when there is more.
        if ((pages.current.get(page)?.length ?? 0) < PAGE) asked.current.delete(page)
      }
    },
    [client, runId, attempt.id],
  )
  useEffect(() => {
    setTotal((before) => Math.max(before, attempt.outputLines))
    if (attempt.outputLines > 0) void fetchPage(Math.floor((attempt.outputLines - 1) / PAGE))
  }, [attempt.outputLines, fetchPage])
  const line = (n: number): OutputRow | undefined => pages.current.get(Math.floor((n - 1) / PAGE))?.[(n - 1) % PAGE]
  const want = (n: number): void => {
    if (!line(n)) void fetchPage(Math.floor((n - 1) / PAGE))
  }
  return { total, line, want }
}

export function Output({ run, attempt }: { run: RunFull; attempt: AttemptRow }): ReactNode {
  const { zone } = useMe()
  const say = useSay()
  const { total, line, want } = useLines(run.id, attempt)
  const box = useRef<HTMLDivElement>(null)
  const [follow, setFollow] = useState(attempt.endedAt === null)
  const [wrap, setWrap] = useState(true)
  const [times, setTimes] = useState(true)
  const [text, setText] = useState('')
  const [hits, setHits] = useState<{ lines: number[]; more: boolean } | null>(null)
  const [at, setAt] = useState(0)
  const rows = useVirtualizer({
    count: total,
    getScrollElement: () => box.current,
    estimateSize: () => 17,
    overscan: 30,
  })
  const topBefore = useRef(0)
  const items = rows.getVirtualItems()
  const firstShown = items[0]?.index ?? 0
  const lastShown = items.at(-1)?.index ?? 0
  useEffect(() => {
    if (total === 0) return
    want(firstShown + 1)
    want(lastShown + 1)
  })
  useEffect(() => {
    if (follow && total > 0 && !isMarkedIn(box.current)) rows.scrollToIndex(total - 1, { align: 'end' })
  }, [follow, total, rows])
  // While lines arrive it is looked for again, less often, and the place that was found stays the place.
  const sought = useRef('')
  const soughtAt = useRef(0)
  useEffect(() => {
    if (text.trim() === '') {
      sought.current = ''
      setHits(null)
      return
    }
    const isNew = sought.current !== text
    const timer = setTimeout(
      () => {
        soughtAt.current = performance.now()
        api
          .get<{ lines: number[]; more: boolean }>(`/runs/${run.id}/search${queryOf({ attempt: attempt.id, text })}`)
          .then(
            (found) => {
              setHits(found)
              if (sought.current !== text) setAt(0)
              sought.current = text
            },
            (error: ApiProblem) => say(error.detail, { bad: true }),
          )
      },
      isNew ? TYPED_REST_MS : Math.max(0, soughtAt.current + ARRIVED_REST_MS - performance.now()),
    )
    return () => clearTimeout(timer)
  }, [text, run.id, attempt.id, total, say])
  const hit = hits?.lines[at]
  useEffect(() => {
    if (hit !== undefined) {
      setFollow(false)
      rows.scrollToIndex(hit - 1, { align: 'center' })
    }
  }, [hit, rows])

  const step = (by: number): void => {
    if (hits && hits.lines.length > 0) setAt((before) => (before + by + hits.lines.length) % hits.lines.length)
  }
  return (
    <>
      <Bar data-noprint>
        <form
          data-filter
          onSubmit={(event) => {
            event.preventDefault()
            step(1)
          }}
        >
          <TextField
            label="Find in the output"
            hideLabel
            type="search"
            placeholder="Find in the output"
            value={text}
            onChange={setText}
            width="220px"
          />
        </form>
        {hits && (
          <>
            <Small role="status">
              {hits.lines.length === 0 ? 'nowhere' : `${at + 1} of ${hits.lines.length}${hits.more ? '+' : ''}`}
            </Small>
            <Button kind="quiet" aria-label="Earlier place" onPress={() => step(-1)}>
              ↑
            </Button>
            <Button kind="quiet" aria-label="Next place" onPress={() => step(1)}>
              ↓
            </Button>
          </>
        )}
        <Spring />
        <Small>
          {count(total, 'line')}
          {attempt.outputCut ? ', cut' : ''}
        </Small>
        <Checkbox isSelected={follow} onChange={setFollow}>
          Follow
        </Checkbox>
        <Checkbox isSelected={wrap} onChange={setWrap}>
          Wrap
        </Checkbox>
        <Checkbox isSelected={times} onChange={setTimes}>
          Times
        </Checkbox>
        <Download href={`/api/v1/runs/${run.id}/output.txt?attempt=${attempt.id}`}>Download</Download>
        <Button onPress={() => window.print()}>Print</Button>
      </Bar>
      {attempt.outputPurged && total > 0 ? (
        <Mute style={{ padding: 16 }}>
          The output was kept for {run.definition.keeping.outputDays} days and has been removed. The run’s history
          stays.
        </Mute>
      ) : total === 0 ? (
        <Mute style={{ padding: 16 }}>
          {attempt.endedAt ? 'It wrote nothing.' : 'It has not written anything yet.'}
        </Mute>
      ) : (
        <Scroll
          ref={box}
          tabIndex={0}
          role="log"
          aria-label="Output"
          aria-live="off"
          // Whoever goes up, by wheel, keys or bar, reads: following ends, and begins again by its box.
          onWheel={(event) => event.deltaY < 0 && setFollow(false)}
          onKeyDown={(event) => ['ArrowUp', 'PageUp', 'Home'].includes(event.key) && setFollow(false)}
          onScroll={(event) => {
            const { scrollTop } = event.currentTarget
            if (scrollTop < topBefore.current - UP_PX) setFollow(false)
            topBefore.current = scrollTop
          }}
        >
          <div style={{ height: rows.getTotalSize(), position: 'relative' }}>
            {items.map((item) => {
              const row = line(item.index + 1)
              const before = line(item.index)
              const isRest = before?.goesOn === true && before.stream === row?.stream
              return (
                <Line
                  key={item.key}
                  data-index={item.index}
                  ref={wrap ? rows.measureElement : null}
                  $stream={row?.stream ?? 'o'}
                  $hit={hit === item.index + 1}
                  $wrap={wrap}
                  style={{ transform: `translateY(${item.start}px)` }}
                >
                  <span
                    className="n"
                    title={isRest ? 'the line above goes on: it was too long for one piece' : undefined}
                  >
                    {isRest ? '↳' : item.index + 1}
                  </span>
                  {times && (
                    <span className="at" title={row ? exact(row.at, zone) : undefined}>
                      {row ? timeWithMs(row.at, zone) : ''}
                    </span>
                  )}
                  {row?.stream === 'e' && <span className="visually-hidden">standard error: </span>}
                  <span>{row ? <Painted text={visible(row.text)} find={text.trim()} /> : '…'}</span>
                </Line>
              )
            })}
          </div>
        </Scroll>
      )}
    </>
  )
}

const TYPED_REST_MS = 200
const ARRIVED_REST_MS = 1500
/** A smaller step up is the list finding its heights, not a person. */
const UP_PX = 40

/** Whether text in here is marked, to be copied: then it stays where it is. */
function isMarkedIn(box: HTMLElement | null): boolean {
  const selection = window.getSelection()
  return selection !== null && !selection.isCollapsed && box?.contains(selection.anchorNode) === true
}

function timeWithMs(ms: number, zone: string): string {
  return `${exact(ms, zone).slice(11, 19)}.${String(ms % 1000).padStart(3, '0')}`
}

function Painted({ text, find }: { text: string; find: string }): ReactNode {
  return spansOf(text).map((span, i) => (
    <span key={i} style={{ ...(span.colour ? { color: span.colour } : {}), ...(span.bold ? { fontWeight: 700 } : {}) }}>
      {find === '' ? span.text : marked(span.text, find)}
    </span>
  ))
}

function marked(text: string, find: string): ReactNode {
  const parts: ReactNode[] = []
  const lower = text.toLowerCase()
  let from = 0
  for (let at = lower.indexOf(find.toLowerCase()); at >= 0; at = lower.indexOf(find.toLowerCase(), from)) {
    parts.push(
      <Fragment key={at}>
        {text.slice(from, at)}
        <mark>{text.slice(at, at + find.length)}</mark>
      </Fragment>,
    )
    from = at + find.length
  }
  return [...parts, text.slice(from)]
}
