'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import type { ComparedLine, ComparedStretch } from '@/core/compare/stretches'
import type { Comparison } from '@/service/runs/compare'
import { count } from '@/ui/format'

const Scroll = styled.div`
  overflow: auto;
  min-height: 0;
  flex: 1;
  border-top: 1px solid var(--line);
  table {
    width: 100%;
    border-collapse: collapse;
    font:
      12px/18px 'JetBrains Mono Variable',
      monospace;
  }
  td {
    vertical-align: top;
    padding: 0 8px;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
  td[data-n] {
    width: 1%;
    text-align: right;
    color: var(--mute);
    white-space: nowrap;
    user-select: none;
  }
  td[data-kind='taken away'] {
    background: var(--failed-soft);
  }
  td[data-kind='put in'] {
    background: var(--succeeded-soft);
  }
  /* Whoever does not see the colours sees the signs. */
  td[data-kind='taken away']::before {
    content: '− ';
  }
  td[data-kind='put in']::before {
    content: '+ ';
  }
  td[data-kind='same']::before {
    content: '  ';
  }
  td[data-kind='none'] {
    background: var(--shelf);
  }
  td mark {
    color: inherit;
    background: transparent;
    font-weight: 700;
    text-decoration: underline;
    text-underline-offset: 2px;
  }
  td[data-fold] {
    background: var(--shelf);
    color: var(--mute);
    text-align: center;
    padding: 3px;
  }
`

/** What stands on one row: a line of the first text, one of the second, the same of both, or what is folded. */
type RowOf = { readonly a: ComparedLine | null; readonly b: ComparedLine | null; readonly isSame: boolean } | number

/** Side by side, what was replaced stands beside what it was replaced by. */
export function rowsBeside(stretches: readonly ComparedStretch[]): RowOf[] {
  const rows: RowOf[] = []
  for (const [i, { kind, lines, folded }] of stretches.entries()) {
    if (kind === 'folded') rows.push(folded)
    else if (kind === 'same') rows.push(...lines.map((line) => ({ a: line, b: line, isSame: true })))
    else if (kind === 'taken away') {
      const next = stretches[i + 1]
      const put = next?.kind === 'put in' ? next.lines : []
      const most = Math.max(lines.length, put.length)
      for (let n = 0; n < most; n++) rows.push({ a: lines[n] ?? null, b: put[n] ?? null, isSame: false })
    } else if (stretches[i - 1]?.kind !== 'taken away')
      rows.push(...lines.map((line) => ({ a: null, b: line, isSame: false })))
  }
  return rows
}

/** The outputs of two runs, with what differs marked by colour, sign and, within a line, by weight. */
export function ComparedText({ found, isOne }: { found: Comparison; isOne: boolean }): ReactNode {
  const { stretches, a, b } = found
  if (stretches.length === 0) return null
  return (
    <Scroll tabIndex={0} role="region" aria-label="The outputs, compared">
      <table aria-label={`Output of #${a.id} and #${b.id}`}>
        <tbody>
          {isOne
            ? stretches.flatMap(({ kind, lines, folded }, i) =>
                kind === 'folded'
                  ? [<Fold key={`fold ${i}`} lines={folded} columns={3} />]
                  : lines.map((line) => (
                      <tr key={`${kind} ${line.a} ${line.b}`}>
                        <td data-n>{line.a}</td>
                        <td data-n>{line.b}</td>
                        <Text line={line} kind={kind} />
                      </tr>
                    )),
              )
            : rowsBeside(stretches).map((row, i) =>
                typeof row === 'number' ? (
                  <Fold key={`fold ${i}`} lines={row} columns={4} />
                ) : (
                  <tr key={`${row.a?.a} ${row.b?.b}`}>
                    <td data-n>{row.a?.a}</td>
                    <Text line={row.a} kind={row.isSame ? 'same' : 'taken away'} />
                    <td data-n>{row.b?.b}</td>
                    <Text line={row.b} kind={row.isSame ? 'same' : 'put in'} />
                  </tr>
                ),
              )}
        </tbody>
      </table>
    </Scroll>
  )
}

const Fold = ({ lines, columns }: { lines: number; columns: number }): ReactNode => (
  <tr>
    <td data-fold colSpan={columns}>
      {count(lines, 'line')} the same
    </td>
  </tr>
)

function Text({ line, kind }: { line: ComparedLine | null; kind: ComparedStretch['kind'] }): ReactNode {
  if (line === null) return <td data-kind="none" />
  return (
    <td data-kind={kind}>
      {line.pieces
        ? line.pieces.map(({ text, changed }, i) => (changed ? <mark key={i}>{text}</mark> : text))
        : line.text}
    </td>
  )
}
