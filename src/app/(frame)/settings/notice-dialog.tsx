'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import { NOTICE_EVENTS, type Notice, type NoticeAction, type NoticeEvent } from '@/core/work/notice'
import type { AccountRow } from '@/service/fleet/accounts'
import type { AreaRow } from '@/service/work/areas'
import type { JobRow } from '@/service/work/work'
import { api } from '@/ui/api'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { Dialog } from '@/ui/parts/dialog'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Select } from '@/ui/parts/select'
import { Mono, Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'
import { Sentence } from '@/ui/parts/sentence'
import { ConnectionFields } from '@/app/shared/work/connection-fields'
import { BLANK as BLANK_CONNECTION } from '@/app/shared/work/connections/kinds'
import { EVENT_WORDS } from '@/app/shared/work/words'
import { BLANK_MAIL } from './blank-mail'
import { LetterFields } from './letter-fields'

const NONE = 'none'
const BLANK: { readonly [K in NoticeAction['kind']]: Extract<NoticeAction, { kind: K }> } = {
  mail: BLANK_MAIL,
  ticket: BLANK_CONNECTION.ticket,
  http: BLANK_CONNECTION.http,
}

/** A notice: of what, when, by which way, with which words. It can be tried before it is saved. */
export function NoticeDialog({
  editing,
  onClose,
}: {
  editing: { readonly id: number | null; readonly notice: Notice } | null
  onClose: () => void
}): ReactNode {
  const client = useQueryClient()
  const [notice, setNotice] = useState<Notice | null>(editing?.notice ?? null)
  const { trouble, setTrouble, faultOf } = useTrouble()
  const [tried, setTried] = useState<readonly string[] | null>(null)
  const isOpen = editing !== null
  const options = { enabled: isOpen }
  const { data: jobs = [] } = useQuery({ queryKey: ['jobs'], queryFn: () => api.get<JobRow[]>('/jobs'), ...options })
  const { data: areas = [] } = useQuery({
    queryKey: ['areas'],
    queryFn: () => api.get<AreaRow[]>('/areas'),
    ...options,
  })
  const { data: accounts = [] } = useQuery({
    queryKey: ['accounts'],
    queryFn: () => api.get<AccountRow[]>('/accounts'),
    ...options,
  })
  if (!notice || !editing) return null
  const set = (change: Partial<Notice>): void => setNotice({ ...notice, ...change })
  const scope = notice.jobId !== null ? `job ${notice.jobId}` : notice.areaId !== null ? `area ${notice.areaId}` : NONE
  const loose = trouble && (trouble.errors.length === 0 || faultOf('action')) ? trouble : null
  const send = (): void => {
    setTried(null)
    setTrouble(null)
    api.post<{ lines: string[] }>('/notices/try', notice).then(({ lines }) => setTried(lines), setTrouble)
  }
  return (
    <Dialog title={editing.id === null ? 'New notice' : 'Notice'} isOpen={isOpen} onClose={onClose} width={720}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          const saved = editing.id === null ? api.post('/notices', notice) : api.put(`/notices/${editing.id}`, notice)
          saved.then(() => {
            void client.invalidateQueries({ queryKey: ['notices'] })
            onClose()
          }, setTrouble)
        }}
      >
        <Stack $gap={12}>
          <Trouble error={loose} />
          <Sentence>
            <TextField
              label="Title"
              value={notice.title}
              onChange={(title) => set({ title })}
              error={faultOf('title')}
              width="260px"
              autoFocus
            />
            <Select
              label="of"
              value={scope}
              onChange={(key) => {
                const [kind, id] = key.split(' ')
                set({ jobId: kind === 'job' ? Number(id) : null, areaId: kind === 'area' ? Number(id) : null })
              }}
              choices={[
                { id: NONE, title: 'everything' },
                ...areas.map((area) => ({ id: `area ${area.id}`, title: `all in ${area.path}` })),
                ...jobs.map((job) => ({ id: `job ${job.id}`, title: job.title })),
              ]}
              error={faultOf('jobId') ?? faultOf('areaId')}
              width="260px"
            />
            <div style={{ paddingTop: 22 }}>
              <Checkbox isSelected={notice.active} onChange={(active) => set({ active })}>
                on
              </Checkbox>
            </div>
          </Sentence>
          <Stack $gap={4}>
            <Small>When</Small>
            <Row $wrap>
              {NOTICE_EVENTS.map((event) => (
                <Checkbox
                  key={event}
                  isSelected={notice.events.includes(event)}
                  onChange={(on) =>
                    set({
                      events: NOTICE_EVENTS.filter((each) =>
                        each === event ? on : notice.events.includes(each),
                      ) as NoticeEvent[],
                    })
                  }
                >
                  {EVENT_WORDS[event]}
                </Checkbox>
              ))}
            </Row>
            {faultOf('events') && <Small style={{ color: 'var(--failed)' }}>{faultOf('events')}</Small>}
          </Stack>
          <Sentence>
            <Select
              label="by"
              value={notice.action.kind}
              onChange={(kind) => set({ action: BLANK[kind as NoticeAction['kind']], account: null })}
              choices={[
                { id: 'mail', title: 'a mail' },
                { id: 'ticket', title: 'a ticket' },
                { id: 'http', title: 'an HTTP request' },
              ]}
              width="170px"
            />
            {notice.action.kind !== 'mail' && (
              <Select
                label="signing in as"
                value={notice.account ?? NONE}
                onChange={(name) => set({ account: name === NONE ? null : name })}
                choices={[{ id: NONE, title: 'nobody' }, ...accounts.map(({ name }) => ({ id: name, title: name }))]}
                error={faultOf('account')}
                width="200px"
              />
            )}
          </Sentence>
          {notice.action.kind === 'mail' ? (
            <LetterFields
              action={notice.action}
              onChange={(action) => set({ action })}
              faultOf={(path) => faultOf(`action.${path}`)}
            />
          ) : (
            <ConnectionFields
              action={notice.action}
              onChange={(action) => set({ action: action as NoticeAction })}
              faultOf={(path) => faultOf(path.replace('definition.', ''))}
            />
          )}
          {tried && (
            <Stack $gap={2} role="status">
              <Small>It was sent:</Small>
              {tried.map((line, i) => (
                <Mono key={i}>{line}</Mono>
              ))}
            </Stack>
          )}
          <Row>
            <Button onPress={send}>Send a trial</Button>
            <Spring />
            <Button onPress={onClose}>Cancel</Button>
            <Button kind="strong" type="submit">
              {editing.id === null ? 'Add' : 'Save'}
            </Button>
          </Row>
        </Stack>
      </form>
    </Dialog>
  )
}
