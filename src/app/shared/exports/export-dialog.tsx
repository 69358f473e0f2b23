'use client'
import { useState, type ReactNode } from 'react'
import { Dialog, DialogTrigger } from 'react-aria-components'
import type { ExportFormat } from '@/core/exports/cells'
import type { ExportName } from '@/service/exports/exports'
import { queryOf } from '@/ui/api'
import { apiValues } from '@/ui/api-values'
import { bytesWords } from '@/ui/format'
import { useDownload } from '@/ui/hooks/download'
import { useMe } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { PopoverBox } from '@/ui/parts/popover'
import { Select } from '@/ui/parts/select'

export interface ExportProps {
  readonly list: ExportName
  /** The queue whose items they are. */
  readonly of?: number
  /** The list’s filter and order, as in its address. */
  readonly values?: Readonly<Record<string, string | undefined>>
  /** Its columns as they are shown. */
  readonly columns?: readonly string[]
}

const FORMATS: readonly { id: ExportFormat; title: string }[] = [
  { id: 'xlsx', title: 'Workbook (XLSX)' },
  { id: 'csv', title: 'CSV (RFC 4180)' },
  { id: 'jsonl', title: 'JSON Lines' },
]
const ABOUT: Record<ExportFormat, string> = {
  xlsx: 'Times stand as your clock shows them, lengths as hours, minutes and seconds.',
  csv: 'Times in UTC (ISO 8601), lengths in seconds. Text that a spreadsheet would run begins with an apostrophe.',
  jsonl: 'An object a line; times in UTC (ISO 8601), lengths in seconds.',
}
const WHICH = [
  { id: 'shown', title: 'as shown' },
  { id: 'all', title: 'all' },
] as const

/** Which file is written of a list; open from the beginning. Once it is asked for it is written whether this is open or not. */
export function ExportPopover({ list, of, values = {}, columns }: ExportProps): ReactNode {
  const { zone } = useMe()
  const [format, setFormat] = useState<ExportFormat>('xlsx')
  const [which, setWhich] = useState<'shown' | 'all'>(columns ? 'shown' : 'all')
  const { progress, error, start, stop } = useDownload()
  const begin = async (): Promise<void> => {
    const asked = await apiValues(values, zone)
    const named = which === 'shown' ? columns?.join() : undefined
    start(`/exports${queryOf({ ...asked, list, of, format, zone, columns: named })}`)
  }
  const share =
    progress?.rows !== null && progress?.rows !== undefined && progress.total
      ? Math.min(1, progress.rows / progress.total)
      : null
  return (
    <DialogTrigger defaultOpen>
      <Button>{progress ? `Export ${share === null ? '…' : `${Math.floor(share * 100)} %`}` : 'Export'}</Button>
      <PopoverBox>
        <Dialog aria-label="Export" style={{ padding: 12, width: 330 }}>
          <Stack $gap={10}>
            <Row $gap={8}>
              <Select label="As" value={format} onChange={setFormat} choices={FORMATS} width="160px" />
              {columns && <Select label="Columns" value={which} onChange={setWhich} choices={WHICH} width="146px" />}
            </Row>
            <Small>{ABOUT[format]}</Small>
            <Trouble error={error} />
            {progress ? (
              <Row>
                <div role="status" style={{ flex: 1 }}>
                  <progress
                    aria-label="How far it is"
                    style={{ width: '100%' }}
                    {...(share === null ? {} : { value: share })}
                  />
                  <Small>{wordsOf(progress)}</Small>
                </div>
                <Button onPress={stop}>Stop</Button>
              </Row>
            ) : (
              <Row>
                <Small>All that the list holds as it is filtered.</Small>
                <Spring />
                <Button kind="strong" onPress={() => void begin()}>
                  Write the file
                </Button>
              </Row>
            )}
          </Stack>
        </Dialog>
      </PopoverBox>
    </DialogTrigger>
  )
}

const wordsOf = ({ rows, total, bytes }: { rows: number | null; total: number | null; bytes: number }): string =>
  rows === null
    ? `${bytesWords(bytes)}${total === null ? '' : ` so far, of ${total.toLocaleString('en')} rows`}`
    : `${rows.toLocaleString('en')}${total === null ? '' : ` of ${total.toLocaleString('en')}`} rows`
