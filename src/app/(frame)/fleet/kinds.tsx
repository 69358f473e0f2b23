'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent, type ReactNode } from 'react'
import type { Kinds as KindsFound } from '@/service/fleet/kinds'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { TextField } from '@/ui/parts/fields'
import { Mute, Row, Small, Stack, Trouble } from '@/ui/parts/layout'
import { Link } from '@/ui/parts/link'
import { Table } from '@/ui/parts/table'
import { Ago } from '@/ui/parts/time'

type Kind = KindsFound['kinds'][number]
type Group = KindsFound['groups'][number]

/** What kinds of step there are, which agents of which versions carry them out, and which are switched off for all. */
export function Kinds(): ReactNode {
  const { data, error } = useQuery({
    queryKey: ['kinds'],
    queryFn: () => api.get<KindsFound>('/kinds'),
    // Runs wait and go on all the time.
    refetchInterval: 5000,
  })
  const { why } = useMay('administer')
  const client = useQueryClient()
  const say = useSay()
  const [closing, setClosing] = useState<string | null>(null)
  if (error) return <Trouble error={error} />
  if (!data) return null
  const { kinds, groups } = data
  const agents = groups.reduce((sum, group) => sum + group.count, 0)
  const able = (kind: string): number =>
    groups.reduce((sum, group) => sum + (group.kinds.includes(kind) ? group.count : 0), 0)
  const open = ({ kind }: Kind): void => {
    api.put('/kinds', { kind, on: true }).then(
      () => {
        say(`${kind} is switched on again.`)
        void client.invalidateQueries({ queryKey: ['kinds'] })
      },
      (problem: ApiProblem) => say(problem.detail, { bad: true }),
    )
  }
  return (
    <div style={{ overflow: 'auto', minHeight: 0 }}>
      <Row style={{ padding: '8px 12px' }}>
        <Small>
          A kind that is switched off for all begins nowhere: its runs wait, and say why. What a machine’s owner denies
          (<code>--deny</code>) nobody here can allow.
        </Small>
      </Row>
      <Table
        label="Kinds of step"
        rows={kinds.map((kind) => ({ ...kind, id: kind.kind }))}
        isDim={(row) => row.off !== null}
        columns={[
          { id: 'kind', title: 'Kind', cell: (row) => <b>{row.kind}</b> },
          {
            id: 'able',
            title: 'Agents that can',
            align: 'right',
            cell: (row) => (able(row.kind) === agents ? `all ${agents}` : `${able(row.kind)} of ${agents}`),
          },
          {
            id: 'jobs',
            title: 'Jobs',
            align: 'right',
            cell: (row) => row.jobs > 0 && <Link href={`/work?kind=${row.kind}`}>{row.jobs}</Link>,
          },
          {
            id: 'waiting',
            title: 'Wait now',
            align: 'right',
            cell: (row) =>
              row.waiting > 0 && <Link href={`/runs?kind=${row.kind}&state=ready&steps=yes`}>{row.waiting}</Link>,
          },
          {
            id: 'off',
            title: 'For all',
            cell: (row) =>
              row.off ? (
                <span>
                  <b style={{ color: 'var(--failed)' }}>off</b>: {row.off.why}{' '}
                  <Small>
                    {row.off.by}, <Ago at={row.off.at} />
                  </Small>
                </span>
              ) : (
                'on'
              ),
          },
          {
            id: 'act',
            title: '',
            align: 'right',
            cell: (row) =>
              row.off ? (
                <Button kind="quiet" onPress={() => open(row)} whyNot={why} aria-label={`Switch ${row.kind} on`}>
                  Switch on
                </Button>
              ) : (
                <Button
                  kind="quiet"
                  onPress={() => setClosing(row.kind)}
                  whyNot={why}
                  aria-label={`Switch ${row.kind} off`}
                >
                  Switch off …
                </Button>
              ),
          },
        ]}
      />
      <h2 style={{ padding: '14px 12px 4px' }}>By version</h2>
      <Table
        label="Agents by version and what they can"
        rows={groups.map((group, i) => ({ ...group, id: i }))}
        columns={[
          { id: 'version', title: 'Version', cell: (row) => row.version },
          { id: 'count', title: 'Agents', align: 'right', cell: (row) => row.count },
          { id: 'can', title: 'Carry out', cell: (row) => <Can group={row} all={kinds} /> },
          { id: 'who', title: 'Which', cell: (row) => <Who group={row} /> },
        ]}
      />
      {closing !== null && <SwitchOff kind={closing} onClose={() => setClosing(null)} />}
    </div>
  )
}

function Can({ group, all }: { group: Group; all: readonly Kind[] }): ReactNode {
  const not = all.filter(({ kind }) => !group.kinds.includes(kind)).map(({ kind }) => kind)
  if (not.length === 0) return 'all kinds'
  if (group.kinds.length === 0) return <Mute>nothing</Mute>
  return not.length < group.kinds.length ? `all but ${not.join(', ')}` : `only ${group.kinds.join(', ')}`
}

function Who({ group }: { group: Group }): ReactNode {
  const shown = group.agents.slice(0, 3)
  return (
    <>
      {shown.map(({ id, name }, i) => (
        <span key={id}>
          {i > 0 && ', '}
          <Link href={`/fleet/agents/${id}`}>{name}</Link>
        </span>
      ))}
      {group.count > shown.length && ` and ${group.count - shown.length} more`}
    </>
  )
}

function SwitchOff({ kind, onClose }: { kind: string; onClose: () => void }): ReactNode {
  const client = useQueryClient()
  const [why, setWhy] = useState('')
  const { trouble, setTrouble, faultOf } = useTrouble()
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    api.put('/kinds', { kind, on: false, why }).then(() => {
      void client.invalidateQueries({ queryKey: ['kinds'] })
      onClose()
    }, setTrouble)
  }
  return (
    <Dialog title={`Switch ${kind} off for all?`} isOpen onClose={onClose} width={460}>
      <form onSubmit={submit}>
        <Stack $gap={12}>
          <Trouble error={trouble?.errors.length === 0 ? trouble : null} />
          <p>No step of this kind begins on any machine until it is switched on again. What runs now goes on.</p>
          <TextField label="Why" value={why} onChange={setWhy} error={faultOf('why')} autoFocus />
          <DialogButtons onClose={onClose}>Switch it off</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
