'use client'
import dynamic from 'next/dynamic'
import { useState, type ReactNode } from 'react'
import styled from 'styled-components'
import type { Figure, ReportDocument, ReportTable, Section } from '@/core/reports/document'
import { isRight, written, writingOf, type Writing } from '@/core/reports/write'
import { usePrinting } from '@/ui/hooks/printing'
import { Button, Download } from '@/ui/parts/button'
import { Panel, Row, Small, Spring, Stack } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'

// Recharts comes only with the first chart.
const Chart = dynamic(() => import('./chart').then((module) => module.Chart), { ssr: false })

/** A table shows so many rows at first; so many more are a word away, and so many are printed: a page of tens of thousands would stand still. The whole is in its CSV. */
const ROWS_AT_FIRST = 60
const MORE_ROWS = 1000
const ROWS_PRINTED = 2000

const Sheet = styled.table`
  width: 100%;
  border-collapse: collapse;
  font-variant-numeric: tabular-nums;
  th,
  td {
    padding: 4px 8px;
    border-bottom: 1px solid var(--line);
    text-align: left;
    vertical-align: top;
    overflow-wrap: anywhere;
  }
  th {
    font-weight: 500;
    font-size: 12px;
    color: var(--mute);
  }
  .right {
    text-align: right;
    white-space: nowrap;
  }
  a {
    text-decoration: underline;
    text-decoration-color: var(--line-strong);
    text-underline-offset: 3px;
  }
  tfoot td {
    font-weight: 600;
    border-bottom: none;
  }
  tr {
    break-inside: avoid;
  }
`
const Wide = styled.div`
  overflow-x: auto;
`
const Sum = styled.table`
  border-collapse: collapse;
  font-variant-numeric: tabular-nums;
  td,
  th {
    padding: 3px 14px 3px 0;
    text-align: left;
    vertical-align: baseline;
  }
  th {
    font-weight: 500;
    font-size: 12px;
    color: var(--mute);
  }
  .value {
    text-align: right;
    font-weight: 600;
    white-space: nowrap;
  }
  [data-sum] td:not(:last-child) {
    border-top: 1px solid var(--ink);
  }
  a {
    text-decoration: underline;
    text-decoration-color: var(--line-strong);
    text-underline-offset: 3px;
  }
  .before {
    text-align: right;
    color: var(--mute);
    white-space: nowrap;
  }
`

export const anchorOf = (nth: number): string => `part-${nth + 1}`

/** What a report says, part by part; figures lead to their rows, each table can be taken away. */
export function DocumentView({ document, resultId }: { document: ReportDocument; resultId: number }): ReactNode {
  const writing = writingOf(document)
  const firstTable = (nth: number): number =>
    document.sections.slice(0, nth).reduce((sum, { tables }) => sum + tables.length, 0)
  return (
    <Stack $gap={10}>
      {document.sections.map((section, nth) => (
        <SectionView
          key={section.title}
          section={section}
          nth={nth}
          writing={writing}
          resultId={resultId}
          firstTable={firstTable(nth)}
        />
      ))}
    </Stack>
  )
}

function SectionView({
  section: { title, notes, figures, charts, tables },
  nth,
  writing,
  resultId,
  firstTable,
}: {
  section: Section
  nth: number
  writing: Writing
  resultId: number
  firstTable: number
}): ReactNode {
  return (
    <Panel
      id={anchorOf(nth)}
      aria-labelledby={`${anchorOf(nth)}-title`}
      style={{ padding: '10px 14px', scrollMarginTop: 8 }}
    >
      <Stack $gap={8}>
        <h2 id={`${anchorOf(nth)}-title`}>{title}</h2>
        {figures.length > 0 && <Figures figures={figures} writing={writing} />}
        {notes.map((note) => (
          <Small key={note}>{note}</Small>
        ))}
        {charts.map((chart) => (
          <Chart key={chart.title} chart={chart} writing={writing} />
        ))}
        {tables.map((one, i) => (
          <TableView
            key={one.title}
            table={one}
            withTitle={one.title !== title}
            writing={writing}
            href={`/api/v1/report-results/${resultId}/table.csv?table=${firstTable + i}`}
          />
        ))}
      </Stack>
    </Panel>
  )
}

function Figures({ figures, writing }: { figures: readonly Figure[]; writing: Writing }): ReactNode {
  const hasBefore = figures.some(({ before }) => before !== undefined)
  return (
    <Wide tabIndex={0} role="region" aria-label="Figures">
      <Sum>
        {hasBefore && (
          <thead>
            <tr>
              <td />
              <th className="value">this period</th>
              <th className="before">the one before</th>
              <td />
            </tr>
          </thead>
        )}
        <tbody>
          {figures.map(({ label, unit, value, before, formula, href, isSum }) => {
            const words = written(unit, value, writing) || '–'
            return (
              <tr key={label} data-sum={isSum}>
                <td>{isSum ? <b>{label}</b> : label}</td>
                <td className="value">{href ? <Link href={href}>{words}</Link> : words}</td>
                {hasBefore && <td className="before">{written(unit, before, writing)}</td>}
                <td>
                  <Small>{formula}</Small>
                </td>
              </tr>
            )
          })}
        </tbody>
      </Sum>
    </Wide>
  )
}

function TableView({
  table: { title, columns, rows, foot },
  withTitle,
  writing,
  href,
}: {
  table: ReportTable
  withTitle: boolean
  writing: Writing
  href: string
}): ReactNode {
  const [most, setMost] = useState(ROWS_AT_FIRST)
  const isPrinted = usePrinting()
  const shown = rows.slice(0, isPrinted ? Math.max(most, ROWS_PRINTED) : most)
  const classOf = (i: number): string | undefined => (isRight(columns[i]?.unit ?? 'text') ? 'right' : undefined)
  const wordsOf = (i: number, value: string | number | null): string =>
    written(columns[i]?.unit ?? 'text', value, writing)
  return (
    <div>
      <Row>
        {withTitle && <h3>{title}</h3>}
        <Spring />
        {rows.length > 0 && <Download href={href}>CSV</Download>}
      </Row>
      {rows.length === 0 ? (
        <Small>Nothing in this period.</Small>
      ) : (
        <Wide tabIndex={0} role="region" aria-label={title}>
          <Sheet aria-label={title}>
            <thead>
              <tr>
                {columns.map((column, i) => (
                  // Two columns may be called the same.
                  <th key={`${i} ${column.title}`} className={classOf(i)} scope="col">
                    {column.title}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {shown.map(({ cells, hrefs }, nth) => (
                <tr key={nth}>
                  {columns.map((_, i) => {
                    const words = wordsOf(i, cells[i] ?? null)
                    const to = hrefs?.[i]
                    return (
                      <td key={i} className={classOf(i)}>
                        {to && words !== '' ? <Link href={to}>{words}</Link> : words}
                      </td>
                    )
                  })}
                </tr>
              ))}
            </tbody>
            {foot && (
              <tfoot>
                <tr>
                  {columns.map((_, i) => (
                    <td key={i} className={classOf(i)}>
                      {wordsOf(i, foot[i] ?? null)}
                    </td>
                  ))}
                </tr>
              </tfoot>
            )}
          </Sheet>
        </Wide>
      )}
      {rows.length > shown.length && (
        <Button kind="quiet" onPress={() => setMost(most + MORE_ROWS)}>
          {rows.length <= most + MORE_ROWS
            ? `Show all ${rows.length.toLocaleString('en')} rows`
            : `Show ${MORE_ROWS.toLocaleString('en')} more of ${rows.length.toLocaleString('en')} rows`}
        </Button>
      )}
    </div>
  )
}
