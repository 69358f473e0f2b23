'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import { NOTICE_FACTS, type Notice } from '@/core/work/notice'
import type { NoticeRow, NoticeSend } from '@/service/notices/notices'
import { api, type ApiProblem } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useMay } from '@/ui/hooks/me'
import { Button } from '@/ui/parts/button'
import { Confirm } from '@/ui/parts/dialog'
import { Empty, Row, SCROLLS, Small, Spring, Stack } from '@/ui/parts/layout'
import { RowActions } from '@/ui/parts/row-actions'
import { Table } from '@/ui/parts/table'
import { SentNotices } from '@/app/shared/runs/sent-notices'
import { EVENT_WORDS, KIND_WORDS } from '@/app/shared/work/words'
import { BLANK_MAIL } from './blank-mail'
import { NoticeDialog } from './notice-dialog'

/** A notice to begin with: a mail at failures. */
const BLANK: Notice = {
  title: '',
  active: true,
  jobId: null,
  areaId: null,
  events: ['failed'],
  action: BLANK_MAIL,
  account: null,
}

/** Who is told what, when; and what was told. */
export function Notices(): ReactNode {
  const { data: rows, isSuccess } = useQuery({
    queryKey: ['notices'],
    queryFn: () => api.get<NoticeRow[]>('/notices'),
  })
  const { data: sends = [] } = useQuery({
    queryKey: ['notices', 'sends'],
    queryFn: () => api.get<NoticeSend[]>('/notice-sends'),
    refetchInterval: 5000,
  })
  const { why } = useMay('design')
  const client = useQueryClient()
  const say = useSay()
  const [editing, setEditing] = useState<{ id: number | null; notice: Notice } | null>(null)
  const [removing, setRemoving] = useState<NoticeRow | null>(null)
  const edit = ({ id, of: _, changedBy: __, changedAt: ___, ...notice }: NoticeRow): void => setEditing({ id, notice })
  return (
    <Stack $gap={12} style={{ padding: 12, ...SCROLLS }}>
      <Row>
        <h2>Notices</h2>
        <Small>
          {NOTICE_FACTS.map((name) => `\${${name}}`).join(', ')} stand for the facts of the run in every text.
        </Small>
        <Spring />
        <Button onPress={() => setEditing({ id: null, notice: BLANK })} whyNot={why}>
          New notice
        </Button>
      </Row>
      {isSuccess && rows.length === 0 ? (
        <Empty title="Nobody is told anything yet">
          A notice is a mail, a ticket or an HTTP request that goes out when a run fails, is late, recovers or ends.
        </Empty>
      ) : (
        <Table
          label="Notices"
          rows={rows ?? []}
          isDim={(row) => !row.active}
          columns={[
            { id: 'title', title: 'Notice', cell: (row) => <b>{row.title}</b> },
            { id: 'of', title: 'Of', cell: (row) => row.of },
            {
              id: 'when',
              title: 'When',
              cell: (row) => row.events.map((event) => EVENT_WORDS[event]).join(', '),
            },
            { id: 'by', title: 'By', cell: (row) => KIND_WORDS[row.action.kind] },
            { id: 'active', title: 'Switch', cell: (row) => (row.active ? 'on' : 'off') },
            {
              id: 'act',
              title: '',
              cell: (row) => (
                <RowActions
                  name={row.title}
                  onChange={() => edit(row)}
                  onRemove={() => setRemoving(row)}
                  whyNot={why}
                />
              ),
            },
          ]}
        />
      )}
      <h2>What was sent</h2>
      {sends.length === 0 ? <Small>Nothing yet.</Small> : <SentNotices sends={sends} withRun />}
      <NoticeDialog key={editing?.id ?? (editing ? 'new' : '')} editing={editing} onClose={() => setEditing(null)} />
      <Confirm
        title={`Remove ${removing?.title ?? ''}?`}
        isOpen={removing !== null}
        onClose={() => setRemoving(null)}
        word="Remove it"
        onConfirm={() => {
          api.delete(`/notices/${removing?.id}`).then(
            () => void client.invalidateQueries({ queryKey: ['notices'] }),
            (error: ApiProblem) => say(error.detail, { bad: true }),
          )
        }}
      >
        Nobody is told by it any more; what it has sent leaves the list.
      </Confirm>
    </Stack>
  )
}
