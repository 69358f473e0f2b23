'use client'
import { memo, useMemo, useRef, type KeyboardEvent, type ReactNode } from 'react'
import styled from 'styled-components'
import { useLatest } from '../hooks/latest'
import type { Piece } from './in-sight'
import { MOST_DRAWN, useWindow } from './table-window'

const Scroll = styled.div`
  position: relative;
  overflow: auto;
  min-height: 0;
`
const Grid = styled.table`
  width: 100%;
  border-collapse: separate;
  border-spacing: 0;
  th {
    position: sticky;
    top: 0;
    z-index: 1;
    background: var(--sheet);
    text-align: left;
    font:
      500 11.5px/16px 'Archivo Variable',
      sans-serif;
    color: var(--mute);
    padding: 5px 10px;
    border-bottom: 1px solid var(--line);
    vertical-align: middle;
    white-space: nowrap;
  }
  th button {
    all: unset;
    cursor: pointer;
    display: inline-flex;
    align-items: center;
    vertical-align: middle;
    gap: 4px;
    min-height: 18px;
  }
  th button:focus-visible {
    outline: 2px solid var(--brass);
  }
  td {
    height: 27px;
    padding: 0 10px;
    border-bottom: 1px solid var(--line);
    vertical-align: middle;
    white-space: nowrap;
    overflow: hidden;
    text-overflow: ellipsis;
    max-width: 340px;
  }
  [data-align='right'] {
    text-align: right;
  }
  tbody tr {
    cursor: default;
  }
  tbody tr[data-opens='true'] {
    cursor: pointer;
  }
  tbody tr:hover {
    background: var(--shelf);
  }
  tbody tr:focus-visible {
    outline: 2px solid var(--brass);
    outline-offset: -2px;
  }
  tbody tr[aria-current='true'] {
    background: var(--shelf);
    box-shadow: inset 3px 0 var(--brass);
  }
  tbody tr[data-dim='true'] {
    color: var(--mute);
  }
  tbody tr[data-fresh='true'] td {
    animation: fresh 2.5s ease-out;
  }
  @keyframes fresh {
    from {
      background: var(--late-soft);
    }
  }
  tbody tr[data-heading='true'] td {
    background: var(--shelf);
    color: var(--mute);
    font-size: 12px;
    font-weight: 600;
  }
  tbody tr:last-child td {
    border-bottom: 0;
  }
`

export interface Column<Row> {
  readonly id: string
  readonly title: string
  readonly align?: 'right'
  readonly sort?: string
  readonly cell: (row: Row) => ReactNode
  readonly width?: number
  /** What is wider is cut off with an ellipsis, px; 340 unless said. */
  readonly maxWidth?: number
}

/** What stands on a line of the table: a row, or what the rows below it have in common. */
type Line<Row> = { readonly row: Row; readonly at: number } | { readonly heading: string; readonly before: number }

function linesOf<Row>(rows: readonly Row[], headingOf: ((row: Row) => string) | undefined): Line<Row>[] {
  const lines: Line<Row>[] = []
  let last: string | undefined
  for (const [at, row] of rows.entries()) {
    const heading = headingOf?.(row)
    if (heading !== undefined && heading !== last) lines.push({ heading, before: at })
    last = heading
    lines.push({ row, at })
  }
  return lines
}

/** A dense table: arrows move from row to row, Enter opens, column heads sort. Of many rows only those in sight are drawn. */
export function Table<Row extends { readonly id: number | string }>({
  label,
  columns,
  rows,
  onOpen,
  sort,
  dir,
  onSort,
  isFresh,
  isDim,
  isChosen,
  onDragStart,
  onMark,
  headingOf,
  foot,
  mostDrawn = MOST_DRAWN,
}: {
  label: string
  columns: readonly Column<Row>[]
  rows: readonly Row[]
  onOpen?: (row: Row) => void
  sort?: string
  dir?: 'asc' | 'desc'
  onSort?: (sort: string, dir: 'asc' | 'desc') => void
  isFresh?: (row: Row) => boolean
  isDim?: (row: Row) => boolean
  /** It is the one that is looked at beside the table. */
  isChosen?: (row: Row) => boolean
  /** Rows can be dragged elsewhere: puts what is dragged into the transfer. */
  onDragStart?: (row: Row, transfer: DataTransfer) => void
  /** Space marks the row, or takes its mark away; Shift with an arrow marks the row it comes to as well (`on`). */
  onMark?: (row: Row, on?: true) => void
  /** What rows that follow each other have in common, such as their day: said once above them. */
  headingOf?: (row: Row) => string
  foot?: ReactNode
  /** Of more rows only those in sight are drawn. */
  mostDrawn?: number
}): ReactNode {
  const body = useRef<HTMLTableSectionElement>(null)
  const lines = useMemo(() => linesOf(rows, headingOf), [rows, headingOf])
  const { scroll, long, first, isWhole, widths, focus, noteFocus } = useWindow(
    lines.length,
    columns.length,
    body,
    mostDrawn,
  )
  const onKey = useLatest((event: KeyboardEvent<HTMLTableRowElement>, row: Row, at: number): void => {
    if (event.target !== event.currentTarget) return
    const last = rows.length - 1
    const to = {
      ArrowDown: Math.min(last, at + 1),
      ArrowUp: Math.max(0, at - 1),
      Home: 0,
      End: last,
      PageDown: Math.min(last, at + 15),
      PageUp: Math.max(0, at - 15),
    }[event.key]
    if (to !== undefined) {
      event.preventDefault()
      const there = rows[to]
      if (event.shiftKey && onMark && there) {
        onMark(row, true)
        onMark(there, true)
      }
      focus(lines.findIndex((line) => 'row' in line && line.at === to))
    } else if (event.key === ' ' && onMark) {
      event.preventDefault()
      onMark(row)
    } else if (event.key === 'Enter' && onOpen) {
      event.preventDefault()
      onOpen(row)
    }
  })
  const onFocus = useLatest(noteFocus)
  const onClick = useLatest((row: Row) => onOpen?.(row))
  const onDrag = useLatest((row: Row, transfer: DataTransfer) => onDragStart?.(row, transfer))
  const acts = useMemo<RowActs<Row>>(
    () => ({ key: onKey, focus: onFocus, open: onClick, drag: onDrag }),
    [onKey, onFocus, onClick, onDrag],
  )
  return (
    <Scroll ref={scroll}>
      <Grid
        aria-label={label}
        aria-rowcount={widths ? lines.length + 1 : undefined}
        style={widths ? { tableLayout: 'fixed' } : undefined}
      >
        <thead>
          <tr>
            {columns.map((column, i) => {
              const sorted = column.sort !== undefined && column.sort === sort
              return (
                <th
                  key={column.id}
                  scope="col"
                  data-align={column.align}
                  style={widths ? { width: widths[i] } : column.width ? { width: column.width } : undefined}
                  aria-sort={sorted ? (dir === 'asc' ? 'ascending' : 'descending') : undefined}
                >
                  {column.sort !== undefined && onSort ? (
                    <button
                      type="button"
                      onClick={() => onSort(column.sort as string, sorted && dir === 'desc' ? 'asc' : 'desc')}
                    >
                      {column.title}
                      <span aria-hidden="true">{sorted ? (dir === 'asc' ? '↑' : '↓') : ''}</span>
                    </button>
                  ) : (
                    column.title
                  )}
                </th>
              )
            })}
          </tr>
        </thead>
        <tbody ref={body}>
          {long ? (
            <long.InSight {...long.props}>{drawn}</long.InSight>
          ) : (
            Array.from({ length: first }, (_, index) => drawn(index))
          )}
        </tbody>
      </Grid>
      {isWhole && foot}
    </Scroll>
  )

  function drawn(piece: Piece): ReactNode {
    if (typeof piece === 'object')
      return <tr key={`gap ${piece.from}`} aria-hidden="true" style={{ height: piece.height }} />
    const line = lines[piece]
    if (line === undefined) return null
    if ('row' in line) {
      const { row, at } = line
      return (
        <TableRow
          key={row.id}
          row={row}
          index={piece}
          at={at}
          columns={columns}
          isCounted={widths !== null}
          isFresh={isFresh?.(row) ?? false}
          isDim={isDim?.(row) ?? false}
          isChosen={isChosen?.(row) ?? false}
          opens={onOpen !== undefined}
          drags={onDragStart !== undefined}
          acts={acts}
        />
      )
    }
    return (
      <tr key={`heading ${line.before}`} data-heading="true" aria-rowindex={widths ? piece + 2 : undefined}>
        <td colSpan={columns.length}>{line.heading}</td>
      </tr>
    )
  }
}

interface RowActs<Row> {
  readonly key: (event: KeyboardEvent<HTMLTableRowElement>, row: Row, at: number) => void
  readonly focus: (index: number) => void
  readonly open: (row: Row) => void
  readonly drag: (row: Row, transfer: DataTransfer) => void
}

interface RowProps<Row> {
  readonly row: Row
  /** Its line, and its place among the rows. */
  readonly index: number
  readonly at: number
  readonly columns: readonly Column<Row>[]
  readonly isCounted: boolean
  readonly isFresh: boolean
  readonly isDim: boolean
  readonly isChosen: boolean
  readonly opens: boolean
  readonly drags: boolean
  readonly acts: RowActs<Row>
}

/** Drawn again only when it, or what is shown of it, is another: of a list of hundreds mostly one row changes. */
const TableRow = memo(function TableRow<Row>({
  row,
  index,
  at,
  columns,
  isCounted,
  isFresh,
  isDim,
  isChosen,
  opens,
  drags,
  acts,
}: RowProps<Row>): ReactNode {
  return (
    <tr
      tabIndex={at === 0 ? 0 : -1}
      data-index={index}
      aria-rowindex={isCounted ? index + 2 : undefined}
      draggable={drags ? true : undefined}
      onDragStart={drags ? (event) => acts.drag(row, event.dataTransfer) : undefined}
      onFocus={() => acts.focus(index)}
      data-opens={opens}
      data-fresh={isFresh}
      data-dim={isDim}
      aria-current={isChosen ? 'true' : undefined}
      onKeyDown={(event) => acts.key(event, row, at)}
      onClick={(event) => {
        if (!(event.target as HTMLElement).closest('a, button, input, label')) acts.open(row)
      }}
    >
      {columns.map((column) => (
        <td
          key={column.id}
          data-align={column.align}
          style={column.maxWidth ? { maxWidth: column.maxWidth } : undefined}
        >
          {column.cell(row)}
        </td>
      ))}
    </tr>
  )
}) as <Row>(props: RowProps<Row>) => ReactNode
