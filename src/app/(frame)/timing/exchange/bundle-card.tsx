'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { ImportLine } from '@/service/exchange/bundle-parts'
import { api, type ApiProblem } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { Button, Download } from '@/ui/parts/button'
import { Card } from '@/ui/parts/card'
import { FileButton } from '@/ui/parts/file-button'
import { Mono, Row, SCROLLS, Small, Spring, Stack } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'

interface Read {
  readonly name: string
  readonly bundle: unknown
  readonly lines: readonly ImportLine[]
}
interface Fault {
  readonly path: string
  readonly message: string
}

/** Calendars, pools, jobs and triggers as one file, in and out. What a file would do is shown before it is done. */
export function BundleCard(): ReactNode {
  const { why } = useMay('design')
  const client = useQueryClient()
  const say = useSay()
  const [read, setRead] = useState<Read | null>(null)
  const [faults, setFaults] = useState<readonly Fault[]>([])
  const refuse = (error: ApiProblem): void =>
    setFaults(error.errors.length > 0 ? error.errors : [{ path: '', message: error.detail }])
  const look = (text: string, name: string): void => {
    setRead(null)
    setFaults([])
    let bundle: unknown
    try {
      bundle = JSON.parse(text)
    } catch (error) {
      return setFaults([{ path: '', message: `${name} is not JSON: ${(error as Error).message}` }])
    }
    api
      .post<{ lines: ImportLine[] }>('/bundle?dryRun=yes', bundle)
      .then(({ lines }) => setRead({ name, bundle, lines }), refuse)
  }
  const take = (): void => {
    if (!read) return
    api.post<{ lines: ImportLine[] }>('/bundle', read.bundle).then(({ lines }) => {
      const done = lines.filter(({ what }) => what !== 'same').length
      say(`${count(done, 'definition')} of ${read.name} taken over.`)
      setRead(null)
      void client.invalidateQueries()
    }, refuse)
  }
  const news = read?.lines.filter(({ what }) => what !== 'same') ?? []
  return (
    <Card>
      <h2>A bundle: calendars, pools, jobs and triggers in one file</h2>
      <Small>
        An open format to keep under version control and to carry from server to server. Bringing one in adds what is
        new and changes what differs; it removes nothing, and it is all or nothing.
      </Small>
      <Row>
        <Download href="/api/v1/bundle" name="bugle-bundle.json">
          Save all as a bundle
        </Download>
        <FileButton accept={['.json', 'application/json']} onText={look} whyNot={why}>
          Bring one in …
        </FileButton>
      </Row>
      {faults.length > 0 && (
        <Stack role="alert" $gap={3}>
          <b style={{ color: 'var(--failed)' }}>
            {faults.length === 1
              ? 'One thing is wrong; nothing was taken over.'
              : `${faults.length} things are wrong; nothing was taken over.`}
          </b>
          {faults.slice(0, 40).map(({ path, message }) => (
            <div key={path + message}>
              {path && <Mono>{path}</Mono>} {message}
            </div>
          ))}
          {faults.length > 40 && <Small>and {faults.length - 40} more</Small>}
        </Stack>
      )}
      {read && (
        <Stack $gap={8}>
          <b>
            {news.length === 0
              ? `Nothing in ${read.name} differs from what is here.`
              : `${read.name} would change ${count(news.length, 'definition')}; ${count(read.lines.length - news.length, 'other')} ${read.lines.length - news.length === 1 ? 'is' : 'are'} as here.`}
          </b>
          {news.length > 0 && (
            <div style={{ maxHeight: 240, ...SCROLLS }}>
              <Table
                label="What the bundle would change"
                rows={news.map((line) => ({ ...line, key: line.id, id: `${line.kind} ${line.id}` }))}
                columns={[
                  { id: 'what', title: '', cell: (line) => <b>{line.what}</b> },
                  { id: 'kind', title: 'Kind', cell: (line) => line.kind },
                  { id: 'id', title: 'Id', cell: (line) => <Mono>{line.key}</Mono> },
                ]}
              />
            </div>
          )}
          <Row>
            <Spring />
            <Button onPress={() => setRead(null)}>Leave it</Button>
            <Button kind="strong" onPress={take} isDisabled={news.length === 0}>
              Take it over
            </Button>
          </Row>
        </Stack>
      )}
    </Card>
  )
}
