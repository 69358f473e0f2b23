'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { CrontabOut as Written } from '@/core/exchange/crontab-out'
import type { CrontabPreview } from '@/service/exchange/crontabs'
import type { PoolRow } from '@/service/fleet/fleet'
import type { AreaRow } from '@/service/work/areas'
import { designable } from '@/app/shared/work/designable'
import { api, type ApiProblem } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMay, useMe } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Card } from '@/ui/parts/card'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Select } from '@/ui/parts/select'
import { FileButton } from '@/ui/parts/file-button'
import { Mono, Row, SCROLLS, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Table } from '@/ui/parts/table'

/** A crontab read line by line, then made into jobs and triggers. */
export function CrontabIn(): ReactNode {
  const { why } = useMay('design')
  const { zone } = useMe()
  const client = useQueryClient()
  const say = useSay()
  const { data: areas = [] } = useQuery({ queryKey: ['areas'], queryFn: () => api.get<AreaRow[]>('/areas') })
  const { data: pools = [] } = useQuery({ queryKey: ['pools'], queryFn: () => api.get<PoolRow[]>('/pools') })
  const [text, setText] = useState('')
  const [kind, setKind] = useState<'user' | 'system'>('user')
  const [area, setArea] = useState<string | null>(null)
  const [pool, setPool] = useState<string | null>(null)
  const [enabled, setEnabled] = useState(false)
  const [report, setReport] = useState<CrontabPreview | null>(null)
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  const [made, setMade] = useState<number | null>(null)
  const change = (next: () => void): void => {
    next()
    setReport(null)
    setTrouble(null)
    setMade(null)
  }
  const read = (): void => {
    setMade(null)
    api.post<CrontabPreview>('/crontab/read', { text, kind }).then(setReport, setTrouble)
  }
  const take = (): void => {
    setTrouble(null)
    api
      .post<{ triggerIds: number[] }>('/crontab', { text, kind, areaId: Number(area), target: { pool }, zone, enabled })
      .then(({ triggerIds }) => {
        setReport(null)
        setText('')
        setMade(triggerIds.length)
        say(`${count(triggerIds.length, 'trigger')} made of the crontab.`)
        void client.invalidateQueries()
      }, setTrouble)
  }
  return (
    <Card>
      <h2>A crontab in</h2>
      <Row>
        <Select
          label="Kind of crontab"
          hideLabel
          value={kind}
          onChange={(next) => change(() => setKind(next as 'user' | 'system'))}
          choices={[
            { id: 'user', title: 'a user’s crontab' },
            { id: 'system', title: 'the system’s, with user names' },
          ]}
          width="230px"
        />
        <FileButton accept={['*/*']} onText={(next) => change(() => setText(next))} whyNot={why}>
          From a file …
        </FileButton>
      </Row>
      <TextField
        label="Its lines"
        rows={report ? 4 : 9}
        mono
        value={text}
        onChange={(next) => change(() => setText(next))}
        placeholder={'MAILTO=ops@example.org\n30 2 * * 1-5  /opt/marram/bin/close-day --harbour kelda'}
      />
      <Trouble error={trouble} />
      {made !== null && (
        <p role="status">
          {count(made, 'trigger')} made{enabled ? '' : ', switched off until you have looked at them'}.{' '}
          <Link href="/timing?text=&sort=title">See them in the list</Link>
        </p>
      )}
      {!report && (
        <Row>
          <Spring />
          <Button kind="strong" onPress={read} isDisabled={text.trim() === ''} whyNot={why}>
            Read it, line by line
          </Button>
        </Row>
      )}
      {report && (
        <Stack>
          <b>
            {count(report.triggers.length, 'trigger')} and {count(report.jobs.length, 'job')};{' '}
            {notCarried(report) === 0
              ? 'every line is carried over.'
              : `${count(notCarried(report), 'line')} cannot be carried over.`}
          </b>
          <div style={{ maxHeight: 230, ...SCROLLS }}>
            <Table
              label="The crontab, line by line"
              rows={report.lines.map((line) => ({ ...line, id: line.line, becomes: becomes(report, line) }))}
              isDim={(line) => line.kind === 'comment'}
              columns={[
                { id: 'line', title: 'Line', align: 'right', cell: (line) => line.line },
                {
                  id: 'text',
                  title: 'Text',
                  maxWidth: 280,
                  cell: (line) => <Mono title={line.text}>{line.text}</Mono>,
                },
                {
                  id: 'says',
                  title: 'Becomes',
                  maxWidth: 330,
                  cell: (line) => (
                    <span
                      title={line.becomes}
                      style={line.kind === 'not carried' ? { color: 'var(--failed)', fontWeight: 600 } : undefined}
                    >
                      {line.becomes}
                    </span>
                  ),
                },
              ]}
            />
          </div>
          <Row $wrap>
            <Select
              label="Jobs go to area"
              value={area}
              onChange={setArea}
              choices={designable(areas).map(({ id, path }) => ({ id: String(id), title: path }))}
              width="170px"
            />
            <Select
              label="and run in pool"
              value={pool}
              onChange={setPool}
              choices={pools.map(({ name, title }) => ({ id: name, title }))}
              width="150px"
            />
            <div style={{ paddingTop: 19 }}>
              <Checkbox isSelected={enabled} onChange={setEnabled}>
                switched on at once
              </Checkbox>
            </div>
            <Spring />
            <div style={{ paddingTop: 19 }}>
              <Button
                kind="strong"
                onPress={take}
                isDisabled={area === null || pool === null || report.triggers.length === 0}
              >
                Make them
              </Button>
            </div>
          </Row>
          <Small>Times without a zone of their own are taken in {zone}.</Small>
        </Stack>
      )}
    </Card>
  )
}

/** What is said of a line; of a trigger also when it fires. */
function becomes(report: CrontabPreview, line: CrontabPreview['lines'][number]): string {
  const i = report.triggers.findIndex((trigger) => trigger.line === line.line)
  return i < 0 ? line.says : `${line.says.replace(/\.$/, '')} ${report.says[i]}`
}

const notCarried = (report: CrontabPreview): number => report.lines.filter(({ kind }) => kind === 'not carried').length

/** The triggers that a crontab line says exactly, as a crontab. */
export function CrontabOut(): ReactNode {
  const [written, setWritten] = useState<Written | null>(null)
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  const save = (): void => {
    api.get<Written>('/crontab').then((made) => {
      setWritten(made)
      const link = document.createElement('a')
      link.href = URL.createObjectURL(new Blob([made.text], { type: 'text/plain' }))
      link.download = 'bugle.crontab'
      link.click()
      URL.revokeObjectURL(link.href)
    }, setTrouble)
  }
  return (
    <Card>
      <h2>A crontab out</h2>
      <Small>
        Triggers that a crontab line says exactly: each is computed and compared for three years before it is written.
        The others are listed with the reason.
      </Small>
      <Row>
        <Button onPress={save}>Save as a crontab</Button>
      </Row>
      <Trouble error={trouble} />
      {written && (
        <Stack $gap={4} role="status">
          <b>
            {written.notCarried.length === 0
              ? 'Every trigger that is on was written.'
              : `${count(written.notCarried.length, 'trigger')} could not be written:`}
          </b>
          <div style={{ maxHeight: 200, ...SCROLLS }}>
            {written.notCarried.map(({ title, why }) => (
              <div key={title}>
                {title} <Small>{why}</Small>
              </div>
            ))}
          </div>
        </Stack>
      )}
    </Card>
  )
}
