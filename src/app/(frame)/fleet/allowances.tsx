'use client'
import dynamic from 'next/dynamic'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import { ALLOWED_WORDS, type Allowed } from '@/core/fleet/allowance'
import type { AllowanceRow, AskForMore } from '@/service/fleet/allowances'
import { inHand } from '@/app/shared/runs/in-hand'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useAddress } from '@/ui/hooks/address'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Mute, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'
import { Link } from '@/ui/parts/link'
import { Time } from '@/ui/parts/time'
import { AllowDialog, AnswerDialog, AskDialog } from './allowance-dialogs'

// Charts are heavy: fetched with the tab alone.
const UseChart = dynamic(() => import('./use-chart').then((module) => module.UseChart), { ssr: false })

const titleOf = ({ what, area }: { readonly what: Allowed; readonly area: string | null }): string =>
  `${ALLOWED_WORDS[what]}${area === null ? '' : ` in ${area}`}`
const keyOf = ({ what, areaId }: AllowanceRow): string => `${what}-${areaId ?? 'all'}`

/** What may be used at once, how much is and was, and who asks for more. */
export function Allowances(): ReactNode {
  const { values, set } = useAddress()
  const { data, error } = useQuery({
    queryKey: ['allowances'],
    queryFn: () => api.get<{ allowances: AllowanceRow[]; asks: AskForMore[] }>('/allowances'),
    refetchInterval: 15_000,
  })
  const { why } = useMay('administer')
  const [setting, setSetting] = useState<AllowanceRow | 'new' | null>(null)
  const [asking, setAsking] = useState<AllowanceRow | null>(null)
  if (error) return <Trouble error={error} />
  if (!data) return null
  const rows = data.allowances.map((row) => ({ id: keyOf(row), row }))
  const shown = rows.find(({ id }) => id === values.of) ?? rows[0]
  return (
    <div style={{ overflow: 'auto', minHeight: 0 }}>
      <Row style={{ padding: '8px 12px' }}>
        <Small>
          So much may be in use at once, in an area with all that lies in it; what is beyond waits, and says why.
        </Small>
        <Spring />
        <Button onPress={() => setSetting('new')} whyNot={why}>
          Limit an area
        </Button>
      </Row>
      <Table
        label="Allowances"
        rows={rows}
        onOpen={({ id }) => set({ of: id }, 'replace')}
        columns={[
          { id: 'where', title: 'Where', cell: ({ row }) => <b>{row.area ?? 'everywhere'}</b> },
          { id: 'what', title: 'What', cell: ({ row }) => ALLOWED_WORDS[row.what] },
          { id: 'allowed', title: 'Allowed', align: 'right', cell: ({ row }) => <AllowedWords row={row} /> },
          { id: 'used', title: 'In use now', align: 'right', cell: ({ row }) => <Used row={row} /> },
          { id: 'peak', title: 'Most in a week', align: 'right', cell: ({ row }) => row.peak },
          {
            id: 'act',
            title: '',
            align: 'right',
            cell: ({ row }) => (
              <>
                {row.units !== null && (
                  <Button
                    kind="quiet"
                    onPress={() => setAsking(row)}
                    whyNot={row.mayAsk ? undefined : 'Whoever may design there asks for more.'}
                    aria-label={`Ask for more ${titleOf(row)}`}
                  >
                    Ask for more …
                  </Button>
                )}
                <Button
                  kind="quiet"
                  onPress={() => setSetting(row)}
                  whyNot={why}
                  aria-label={`Change what is allowed of ${titleOf(row)}`}
                >
                  Change …
                </Button>
              </>
            ),
          },
        ]}
      />
      {shown && <UseChart row={shown.row} />}
      <Asks asks={data.asks} />
      {setting !== null && (
        <AllowDialog row={setting === 'new' ? null : setting} all={data.allowances} onClose={() => setSetting(null)} />
      )}
      {asking !== null && asking.id !== null && (
        <AskDialog id={asking.id} title={titleOf(asking)} onClose={() => setAsking(null)} />
      )}
    </div>
  )
}

function AllowedWords({ row }: { row: AllowanceRow }): ReactNode {
  if (row.allowed === null) return <Mute>no limit</Mute>
  return (
    <>
      {row.allowed}
      {row.grants.map(({ units, until }) => (
        <Small key={until}>
          {' '}
          ({units} of them until <Time at={until} />)
        </Small>
      ))}
    </>
  )
}

const Used = ({ row }: { row: AllowanceRow }): ReactNode =>
  row.used === 0 ? (
    '0'
  ) : (
    <Link href={inHand({ took: row.what, area: row.areaId })}>
      {row.allowed !== null && row.used >= row.allowed ? (
        <b style={{ color: 'var(--brass-ink)' }}>{row.used}, all</b>
      ) : (
        row.used
      )}
    </Link>
  )

const STATE_WORDS: Readonly<Record<AskForMore['state'], string>> = {
  open: 'open',
  granted: 'granted',
  declined: 'declined',
  withdrawn: 'taken back',
}

function Asks({ asks }: { asks: readonly AskForMore[] }): ReactNode {
  const { why } = useMay('administer')
  const client = useQueryClient()
  const say = useSay()
  const [answering, setAnswering] = useState<AskForMore | null>(null)
  if (asks.length === 0) return null
  const takeBack = ({ id }: AskForMore): void => {
    api.delete(`/allowance-asks/${id}`).then(
      () => void client.invalidateQueries({ queryKey: ['allowances'] }),
      (problem: ApiProblem) => say(problem.detail, { bad: true }),
    )
  }
  return (
    <>
      <h2 style={{ padding: '14px 12px 4px' }}>Asked for</h2>
      <Table
        label="Asked for"
        rows={asks}
        isDim={(ask) => ask.state === 'withdrawn'}
        columns={[
          {
            id: 'what',
            title: 'What',
            cell: (ask) => (
              <b>
                {ask.units} more {titleOf(ask)}
              </b>
            ),
          },
          { id: 'why', title: 'What for', cell: (ask) => <Small title={ask.why}>{ask.why}</Small> },
          { id: 'until', title: 'Until', cell: (ask) => (ask.until ? <Time at={ask.until} /> : 'for good') },
          {
            id: 'by',
            title: 'Asked',
            cell: (ask) => (
              <>
                <Time at={ask.askedAt} /> <Small>{ask.askedBy}</Small>
              </>
            ),
          },
          {
            id: 'state',
            title: 'Answer',
            cell: (ask) => (
              <>
                {STATE_WORDS[ask.state]}
                {ask.answeredBy && <Small> by {ask.answeredBy}</Small>}
                {ask.answer && `: ${ask.answer}`}
              </>
            ),
          },
          {
            id: 'act',
            title: '',
            align: 'right',
            cell: (ask) =>
              ask.state === 'open' && (
                <>
                  {ask.isMine && (
                    <Button kind="quiet" onPress={() => takeBack(ask)}>
                      Take it back
                    </Button>
                  )}
                  <Button kind="quiet" onPress={() => setAnswering(ask)} whyNot={why}>
                    Answer …
                  </Button>
                </>
              ),
          },
        ]}
      />
      {answering && <AnswerDialog ask={answering} title={titleOf(answering)} onClose={() => setAnswering(null)} />}
    </>
  )
}
