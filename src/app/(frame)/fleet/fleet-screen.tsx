'use client'
import dynamic from 'next/dynamic'
import { useQuery } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import { AGENT_STATE_WORDS } from '@/core/fleet/words'
import type { AgentRow, PoolRow } from '@/service/fleet/fleet'
import { ExportButton } from '@/app/shared/exports/export-button'
import { inHand } from '@/app/shared/runs/in-hand'
import { api, queryOf } from '@/ui/api'
import { count } from '@/ui/format'
import { useAddress } from '@/ui/hooks/address'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Select } from '@/ui/parts/select'
import { TextField } from '@/ui/parts/fields'
import { Empty, Page, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { StateWord, type Mark } from '@/ui/parts/state-mark'
import { Table } from '@/ui/parts/table'
import { ColumnsButton } from '@/app/shared/views/columns-button'
import { useColumns, type Choosable } from '@/app/shared/views/use-columns'
import { useViewed } from '@/app/shared/views/use-viewed'
import { ViewMenu } from '@/app/shared/views/view-menu'
import { Tabs } from '@/ui/parts/tabs'
import { Ago } from '@/ui/parts/time'

// Of the tabs only the one in sight is fetched.
const Accounts = dynamic(() => import('./accounts').then((module) => module.Accounts), { ssr: false })
const EnrolDialog = dynamic(() => import('./enrol-dialog').then((module) => module.EnrolDialog), { ssr: false })
const Allowances = dynamic(() => import('./allowances').then((module) => module.Allowances), { ssr: false })
const Connections = dynamic(() => import('./connections').then((module) => module.Connections), { ssr: false })
const Kinds = dynamic(() => import('./kinds').then((module) => module.Kinds), { ssr: false })
const Locks = dynamic(() => import('./locks').then((module) => module.Locks), { ssr: false })
const Robots = dynamic(() => import('./robots').then((module) => module.Robots), { ssr: false })
const Systems = dynamic(() => import('./systems').then((module) => module.Systems), { ssr: false })
const Pools = dynamic(() => import('./pools').then((module) => module.Pools), { ssr: false })

const Use = styled.span<{ $share: number }>`
  display: inline-block;
  width: 54px;
  height: 8px;
  border: 1px solid var(--line-strong);
  border-radius: 2px;
  vertical-align: middle;
  margin-right: 7px;
  background: linear-gradient(to right, var(--running) ${(p) => p.$share * 100}%, transparent 0);
`

const AGENT_COLUMNS: readonly Choosable<AgentRow>[] = [
  {
    id: 'name',
    always: true,
    title: 'Agent',
    cell: (a) => (
      <Link href={`/fleet/agents/${a.id}`}>
        <b>{a.name}</b>
      </Link>
    ),
  },
  {
    id: 'state',
    title: 'State',
    cell: (a) => <StateWord mark={a.state as Mark} word={AGENT_STATE_WORDS[a.state]} />,
  },
  {
    id: 'use',
    title: 'Slots in use',
    cell: (a) => (
      <>
        <Use $share={Math.min(1, a.used / a.slots)} aria-hidden="true" />
        <Link href={inHand({ agent: a.id })}>
          {a.used}/{a.slots}
        </Link>
      </>
    ),
  },
  {
    id: 'pools',
    title: 'Pools',
    cell: (a) => a.pools.map((p) => (p.active ? p.name : `${p.name} (off)`)).join(', '),
  },
  {
    id: 'labels',
    title: 'Labels',
    cell: (a) => (
      <Small>
        {Object.entries(a.labels)
          .map(([k, v]) => `${k}=${v}`)
          .join(' ')}
      </Small>
    ),
  },
  { id: 'system', title: 'System', cell: (a) => <Small>{a.system}</Small> },
  {
    id: 'version',
    title: 'Version',
    cell: (a) => (
      <>
        {a.version}
        {a.isOutdated && <Small style={{ color: 'var(--late)' }}> behind</Small>}
      </>
    ),
  },
  {
    id: 'contact',
    title: 'Last contact',
    align: 'right',
    cell: (a) => (a.lastContactAt ? <Ago at={a.lastContactAt} /> : 'never'),
  },
]

const TABS = ['agents', 'robots', 'systems', 'pools', 'accounts', 'locks', 'connections', 'allowances', 'kinds']

export function FleetScreen(): ReactNode {
  const { values, set } = useAddress()
  const { why } = useMay('administer')
  const { data: all = [] } = useQuery({ queryKey: ['agents'], queryFn: () => api.get<AgentRow[]>('/agents') })
  const away = all.filter((a) => a.state === 'away').length
  return (
    <Page style={{ overflow: 'hidden' }}>
      <Row>
        <h1>Fleet</h1>
        <Small>
          {count(all.length, 'agent')} · {all.reduce((sum, a) => sum + a.used, 0)} of{' '}
          {all.reduce((sum, a) => sum + a.slots, 0)} slots in use{away > 0 && ` · ${away} out of reach`}
        </Small>
        <Spring />
        <Button kind="strong" onPress={() => set({ enrol: '1' })} whyNot={why}>
          Enrol an agent
        </Button>
      </Row>
      <Panel style={{ flex: 1, minHeight: 0, display: 'flex', flexDirection: 'column' }}>
        <Tabs
          label="Fleet"
          selected={TABS.find((tab) => tab === values.tab) ?? 'agents'}
          onSelect={(tab) => set({ tab: tab === 'agents' ? null : tab })}
          tabs={[
            { id: 'agents', title: 'Agents', content: <Agents all={all} /> },
            { id: 'robots', title: 'Robots', content: <Robots /> },
            { id: 'systems', title: 'Systems', content: <Systems /> },
            { id: 'pools', title: 'Pools', content: <Pools /> },
            { id: 'accounts', title: 'Accounts', content: <Accounts /> },
            { id: 'locks', title: 'Locks', content: <Locks /> },
            { id: 'connections', title: 'Connections', content: <Connections /> },
            { id: 'allowances', title: 'Allowances', content: <Allowances /> },
            { id: 'kinds', title: 'Kinds of step', content: <Kinds /> },
          ]}
        />
      </Panel>
      {values.enrol === '1' && why === undefined && (
        <EnrolDialog isOpen onClose={() => set({ enrol: null }, 'replace')} />
      )}
    </Page>
  )
}

function Agents({ all }: { all: readonly AgentRow[] }): ReactNode {
  const viewed = useViewed('agents')
  const { values, set, isReady } = viewed
  const columns = useColumns(viewed, AGENT_COLUMNS)
  const router = useRouter()
  const filter = {
    text: values.text,
    state: values.state,
    pool: values.pool,
    label: values.label,
    version: values.version,
  }
  const { data: rows, error } = useQuery({
    queryKey: ['agents', filter],
    queryFn: () => api.get<AgentRow[]>(`/agents${queryOf(filter)}`),
    placeholderData: (before) => before,
    enabled: isReady,
  })
  const { data: pools = [] } = useQuery({ queryKey: ['pools'], queryFn: () => api.get<PoolRow[]>('/pools') })
  const any = { id: '', title: 'any' }
  const labels = [...new Set(all.flatMap((a) => Object.entries(a.labels).map(([k, v]) => `${k}=${v}`)))].sort()
  const versions = [...new Set(all.map((a) => a.version))].sort()
  const pick = (key: string) => (value: string) => set({ [key]: value || null })
  if (all.length === 0) {
    return (
      <Empty title="No agent is enrolled yet">
        An agent is a small program on a machine that carries out runs. It always calls Bugle, never the other way, so
        no port has to be opened on the machine. Enrol one with a single pasted command.
      </Empty>
    )
  }
  return (
    <>
      <Row style={{ padding: '8px 12px' }} $top $wrap>
        <div data-filter>
          <TextField
            label="Name, host or system"
            value={values.text ?? ''}
            onChange={(text) => set({ text }, 'replace')}
            type="search"
            width="200px"
          />
        </div>
        <Select
          label="State"
          value={values.state ?? ''}
          onChange={pick('state')}
          choices={[any, ...Object.entries(AGENT_STATE_WORDS).map(([id, title]) => ({ id, title }))]}
          width="130px"
        />
        <Select
          label="Pool"
          value={values.pool ?? ''}
          onChange={pick('pool')}
          choices={[any, ...pools.map((p) => ({ id: p.name, title: p.name }))]}
          width="130px"
        />
        <Select
          label="Label"
          value={values.label ?? ''}
          onChange={pick('label')}
          choices={[any, ...labels.map((l) => ({ id: l, title: l }))]}
          width="160px"
        />
        <Select
          label="Version"
          value={values.version ?? ''}
          onChange={pick('version')}
          choices={[any, ...versions.map((v) => ({ id: v, title: v }))]}
          width="110px"
        />
        <Spring />
        <Row style={{ paddingTop: 17 }}>
          <ViewMenu viewed={viewed} />
          <ColumnsButton {...columns} />
          <ExportButton list="agents" values={filter} columns={columns.shown.map(({ id }) => id)} />
        </Row>
      </Row>
      <Trouble error={error} />
      {rows?.length === 0 ? (
        <Empty title="No agent fits">Nothing has all of these marks. Take one away.</Empty>
      ) : (
        <Table
          label="Agents"
          rows={rows ?? []}
          onOpen={(agent) => router.push(`/fleet/agents/${agent.id}`)}
          isDim={(agent) => agent.state === 'off' || agent.state === 'revoked'}
          columns={columns.shown}
        />
      )}
    </>
  )
}
