'use client'
import dynamic from 'next/dynamic'
import { useQuery } from '@tanstack/react-query'
import { Fragment, useState, type ReactNode } from 'react'
import type { AuditEntry } from '@/service/base/audit'
import type { EngineRow } from '@/service/fleet/engines'
import { ExportButton } from '@/app/shared/exports/export-button'
import { api } from '@/ui/api'
import { useAddress } from '@/ui/hooks/address'
import { useMay, useMe } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Page, Panel, Row, Small, Spring } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'
import { ColumnsButton } from '@/app/shared/views/columns-button'
import { useColumns, type Choosable } from '@/app/shared/views/use-columns'
import { useViewed } from '@/app/shared/views/use-viewed'
import { ViewMenu } from '@/app/shared/views/view-menu'
import { Tabs } from '@/ui/parts/tabs'
import { Ago, Time } from '@/ui/parts/time'

// Of the tabs only the one in sight is fetched.
const MySettings = dynamic(() => import('./my-settings').then((module) => module.MySettings), { ssr: false })
const TimingSettings = dynamic(() => import('./timing-settings').then((module) => module.TimingSettings), {
  ssr: false,
})
const Notices = dynamic(() => import('./notices').then((module) => module.Notices), { ssr: false })
const MailServers = dynamic(() => import('./mail-servers').then((module) => module.MailServers), { ssr: false })
const People = dynamic(() => import('./people').then((module) => module.People), { ssr: false })
const Organisations = dynamic(() => import('./organisations').then((module) => module.Organisations), { ssr: false })
const Addresses = dynamic(() => import('./addresses').then((module) => module.Addresses), { ssr: false })

export function SettingsScreen(): ReactNode {
  const { values, set } = useAddress()
  const { may } = useMay('administer')
  const { looksAfterServer } = useMe()
  const tabs = [
    { id: 'me', title: 'Yours', content: <MySettings /> },
    { id: 'timing', title: 'Timing', content: <TimingSettings /> },
    { id: 'notices', title: 'Notices', content: <Notices /> },
    { id: 'mail', title: 'Mail', content: <MailServers /> },
    { id: 'people', title: 'People', content: <People /> },
    { id: 'engines', title: 'Engines', content: <Engines /> },
    ...(may
      ? [
          { id: 'addresses', title: 'Addresses', content: <Addresses /> },
          { id: 'audit', title: 'Audit', content: <Audit /> },
        ]
      : []),
    ...(looksAfterServer ? [{ id: 'organisations', title: 'Organisations', content: <Organisations /> }] : []),
  ]
  return (
    <Page style={{ overflow: 'hidden' }}>
      <h1>Settings</h1>
      <Panel style={{ flex: 1, minHeight: 0, display: 'flex', flexDirection: 'column' }}>
        <Tabs
          label="Settings"
          tabs={tabs}
          selected={tabs.some((t) => t.id === values.tab) ? (values.tab as string) : 'me'}
          onSelect={(tab) => set({ tab: tab === 'me' ? null : tab })}
        />
      </Panel>
    </Page>
  )
}

function Engines(): ReactNode {
  const { data = [] } = useQuery({
    queryKey: ['engines'],
    queryFn: () => api.get<EngineRow[]>('/engines'),
    refetchInterval: 5000,
  })
  return (
    <>
      <Small style={{ padding: '10px 12px' }}>
        Engines keep agents connected, hand out runs and notice what is lost. One leads; if it ends, another takes over.
      </Small>
      <Table
        label="Engines"
        rows={data}
        isDim={(e) => !e.isAlive}
        columns={[
          { id: 'host', title: 'On', cell: (e) => <b>{`${e.host}, process ${e.pid}`}</b> },
          {
            id: 'state',
            title: 'State',
            cell: (e) => (e.isAlive ? (e.leads ? 'leads' : 'stands by') : 'not heard of'),
          },
          { id: 'agents', title: 'Agents', align: 'right', cell: (e) => e.agents },
          { id: 'gateway', title: 'Gateway', cell: (e) => e.gatewayUrl },
          { id: 'version', title: 'Version', cell: (e) => e.version },
          { id: 'since', title: 'Since', cell: (e) => <Time at={e.startedAt} /> },
          { id: 'seen', title: 'Last word', cell: (e) => <Ago at={e.lastSeenAt} /> },
        ]}
      />
    </>
  )
}

const AUDIT_COLUMNS: readonly Choosable<AuditEntry>[] = [
  { id: 'at', title: 'When', cell: (e) => <Time at={e.at} /> },
  { id: 'who', title: 'Who', cell: (e) => <b>{e.personName}</b> },
  { id: 'what', always: true, title: 'Did', cell: (e) => `${e.action} ${e.objectType} ${e.objectTitle}` },
  { id: 'changes', title: 'What changed', cell: (e) => <Changes changes={e.changes} /> },
  { id: 'via', title: 'By way of', cell: (e) => <Small>{`${e.via}, ${e.address}`}</Small> },
]

function Audit(): ReactNode {
  const viewed = useViewed('audit')
  const { values, set, isReady } = viewed
  const { text = '' } = values
  const columns = useColumns(viewed, AUDIT_COLUMNS)
  const [pages, setPages] = useState<number[]>([])
  const before = pages.at(-1)
  const { data = [] } = useQuery({
    queryKey: ['audit', text, before],
    queryFn: () =>
      api.get<AuditEntry[]>(
        `/audit?${new URLSearchParams({ ...(text ? { text } : {}), ...(before ? { before: String(before) } : {}) })}`,
      ),
    placeholderData: (old) => old,
    enabled: isReady,
  })
  return (
    <>
      <Row $wrap style={{ padding: '8px 12px' }}>
        <ViewMenu viewed={viewed} />
        <div data-filter>
          <TextField
            label="Person, action or object"
            hideLabel
            placeholder="Person, action or object"
            type="search"
            value={text}
            onChange={(value) => {
              set({ text: value || null }, 'replace')
              setPages([])
            }}
            width="260px"
          />
        </div>
        <Spring />
        <ColumnsButton {...columns} />
        <ExportButton list="audit" values={{ text }} columns={columns.shown.map(({ id }) => id)} />
        <Button isDisabled={pages.length === 0} onPress={() => setPages(pages.slice(0, -1))}>
          Newer
        </Button>
        <Button isDisabled={data.length < 100} onPress={() => setPages([...pages, data.at(-1)?.id ?? 0])}>
          Older
        </Button>
      </Row>
      <Table label="Audit" rows={data} columns={columns.shown} />
    </>
  )
}

function Changes({ changes }: { changes: Record<string, unknown> }): ReactNode {
  const entries = Object.entries(changes)
  const text = (value: unknown): string => (typeof value === 'string' ? value : JSON.stringify(value))
  return (
    <Small title={JSON.stringify(changes, null, 1)}>
      {entries.map(([key, value], i) => (
        <Fragment key={key}>
          {i > 0 && ' · '}
          {key}{' '}
          {typeof value === 'object' && value !== null && 'from' in value && 'to' in value
            ? `${text(value.from)} → ${text(value.to)}`
            : text(value)}
        </Fragment>
      ))}
    </Small>
  )
}
