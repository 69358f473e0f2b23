import {
  figuresOf,
  handOverWords,
  matterWords,
  stillOpen,
  withWords,
  type LogMatter,
  type ShiftLog,
} from '../log/night'
import { section, type Cell, type ReportTable, type Section, type TableColumn, type TableRow } from './document'

const MATTER_COLUMNS: readonly TableColumn[] = [
  { title: 'At', unit: 'instant' },
  { title: 'What', unit: 'text' },
  { title: 'It said', unit: 'text' },
  { title: 'Taken', unit: 'text' },
  { title: 'What came of it', unit: 'text' },
  { title: 'Settled', unit: 'instant' },
]

const matterRow = (matter: LogMatter): TableRow => ({
  cells: [
    matter.openedAtMs,
    `${matterWords(matter)}${matter.runId === null ? '' : ` (#${matter.runId})`}`,
    matter.evidence,
    withWords(matter.takenBy ?? '', matter.note),
    matter.closedAtMs === null ? 'open' : withWords(matter.closedBy ?? '', matter.done),
    matter.closedAtMs,
  ] satisfies Cell[],
  hrefs: [null, matter.runId === null ? null : `/runs/${matter.runId}`],
})

/** A section of one table; where there is nothing, it says so. */
const listed = (title: string, nothing: string, table: ReportTable): Section =>
  table.rows.length === 0 ? section(title, { notes: [nothing] }) : section(title, { tables: [table] })

/** A shift’s log as a report: what was wrong and what came of it, what is open, what was changed, what was written, who took over. */
export function nightLogSections(log: ShiftLog): Section[] {
  const figures = figuresOf(log)
  const matters = [...log.before, ...log.matters]
  return [
    section('The shift', {
      notes: [
        ...log.handedOver.map((each) => `${handOverWords(each)}${each.note === '' ? '.' : `: “${each.note}”`}`),
        ...(log.isCut ? ['Of some of it there was more than is told here.'] : []),
      ],
      figures: [
        { label: 'Failed', unit: 'count', value: figures.failed },
        { label: 'Late', unit: 'count', value: figures.late },
        { label: 'Other matters', unit: 'count', value: figures.other },
        { label: 'Settled', unit: 'count', value: figures.mended },
        { label: 'Still open', unit: 'count', value: figures.stillOpen },
        { label: 'Changes', unit: 'count', value: log.changes.length },
      ],
      tables:
        matters.length > 0 ? [{ title: 'What happened', columns: MATTER_COLUMNS, rows: matters.map(matterRow) }] : [],
    }),
    listed('Still open', 'Nothing.', {
      title: 'For the next shift',
      columns: MATTER_COLUMNS,
      rows: stillOpen(log).map(matterRow),
    }),
    listed('Notes', 'Nobody wrote any.', {
      title: 'What was written',
      columns: [
        { title: 'At', unit: 'instant' },
        { title: 'By', unit: 'text' },
        { title: 'Note', unit: 'text' },
      ],
      rows: log.notes.map(({ atMs, by, text }) => ({ cells: [atMs, by, text] })),
    }),
    listed('What was changed', 'Nothing.', {
      title: 'Changes',
      columns: [
        { title: 'At', unit: 'instant' },
        { title: 'By', unit: 'text' },
        { title: 'What', unit: 'text' },
        { title: 'Failed within a day', unit: 'text' },
      ],
      rows: log.changes.map(({ atMs, by, says, followed }) => ({
        cells: [atMs, by, says, followed.map((id) => `#${id}`).join(', ')],
        hrefs: [null, null, null, followed.length === 1 ? `/runs/${followed[0]}` : null],
      })),
    }),
  ]
}
