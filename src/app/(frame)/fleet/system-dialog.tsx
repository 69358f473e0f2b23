'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent, type ReactNode } from 'react'
import { SYSTEM_KINDS, type SystemKind } from '@/core/fleet/system-state'
import type { AccountRow } from '@/service/fleet/accounts'
import type { PoolRow } from '@/service/fleet/fleet'
import type { SystemChoice } from '@/service/work/system-pages'
import type { SystemFull } from '@/service/work/systems'
import { api } from '@/ui/api'
import { count } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useTrouble } from '@/ui/hooks/saving'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Row, Small, Stack, Trouble } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { withOrWithout } from '@/ui/sets'

const OPEN = { id: '', title: 'each job says it' }

/** Adds a system, or changes one and with it every job that is done on it. */
export function SystemDialog({
  system,
  jobs = 0,
  onClose,
  onDone,
}: {
  /** null: a new one. */
  system: SystemFull | null
  /** How many jobs are done on it. */
  jobs?: number
  onClose: () => void
  onDone?: (id: number) => void
}): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const { data: accounts = [] } = useQuery({
    queryKey: ['accounts'],
    queryFn: () => api.get<AccountRow[]>('/accounts'),
  })
  const { data: pools = [] } = useQuery({ queryKey: ['pools'], queryFn: () => api.get<PoolRow[]>('/pools') })
  const { data: others = [] } = useQuery({
    queryKey: ['system-choices'],
    queryFn: () => api.get<SystemChoice[]>('/systems/choices'),
  })
  const [kind, setKind] = useState<SystemKind>(system?.kind ?? 'application')
  const [texts, setTexts] = useState({
    title: system?.title ?? '',
    notes: system?.notes ?? '',
    host: system?.host ?? '',
    port: system?.port ? String(system.port) : '',
    database: system?.database ?? '',
    hostKey: system?.hostKey ?? '',
  })
  const [tls, setTls] = useState(system?.tls ?? false)
  const [account, setAccount] = useState(system?.account ?? '')
  const [pool, setPool] = useState(system?.pool ?? '')
  const [on, setOn] = useState<ReadonlySet<string>>(new Set(system?.on))
  const { trouble, setTrouble, faultOf } = useTrouble()
  const set = (change: Partial<typeof texts>): void => setTexts((before) => ({ ...before, ...change }))
  const text = (name: keyof typeof texts, label: string, width: string, more: object = {}): ReactNode => (
    <TextField
      label={label}
      value={texts[name]}
      onChange={(value) => set({ [name]: value })}
      error={faultOf(name)}
      width={width}
      {...more}
    />
  )
  const submit = (event: FormEvent): void => {
    event.preventDefault()
    const body = {
      title: texts.title,
      notes: texts.notes,
      kind,
      host: texts.host || null,
      port: texts.port === '' ? null : /^\d+$/.test(texts.port) ? Number(texts.port) : texts.port,
      database: kind === 'database' ? texts.database || null : null,
      hostKey: kind === 'host' ? texts.hostKey || null : null,
      tls,
      account: account || null,
      pool: pool || null,
      on: [...on],
    }
    const sent = system
      ? api
          .put<{ jobs: number }>(`/systems/${system.id}`, { ...body, version: system.version })
          .then(({ jobs: changed }) => {
            say(
              changed > 0
                ? `${texts.title} is saved, and ${count(changed, 'job')} with it.`
                : `${texts.title} is saved.`,
            )
            return system.id
          })
      : api.post<{ id: number }>('/systems', body).then(({ id }) => id)
    sent.then((id) => {
      for (const key of ['systems', 'system-choices', 'jobs']) void client.invalidateQueries({ queryKey: [key] })
      onClose()
      onDone?.(id)
    }, setTrouble)
  }
  const shown = new Set(['title', 'notes', 'host', 'port', 'database', 'hostKey', 'account', 'pool', 'on', 'kind'])
  return (
    <Dialog title={system ? `Change ${system.title}` : 'New system'} isOpen onClose={onClose} width={600}>
      <form onSubmit={submit}>
        <Stack $gap={12}>
          <Trouble error={trouble?.errors.some(({ path }) => shown.has(path)) ? null : trouble} />
          <Row $top $gap={12}>
            {text('title', 'Title', '330px', { autoFocus: true })}
            <Select
              label="Kind"
              value={kind}
              onChange={(next) => setKind(next)}
              choices={(Object.keys(SYSTEM_KINDS) as SystemKind[]).map((id) => ({ id, title: id }))}
              error={faultOf('kind')}
              width="150px"
            />
          </Row>
          <Row $top $gap={12}>
            {text('host', 'Host', '230px', { mono: true, hint: 'Where its jobs go.' })}
            {text('port', 'Port', '80px', { hint: 'Usual if empty.' })}
            {kind === 'database' && text('database', 'Database', '150px', { mono: true })}
          </Row>
          {kind === 'host' ? (
            text('hostKey', 'Host key (shown and not checked if empty)', '420px', {
              mono: true,
              placeholder: 'SHA256:…',
            })
          ) : (
            <Checkbox isSelected={tls} onChange={setTls}>
              by TLS from the beginning
            </Checkbox>
          )}
          <Row $top $gap={12}>
            <Select
              label="Signed in to as"
              value={account}
              onChange={setAccount}
              choices={[OPEN, ...accounts.map(({ name, userName }) => ({ id: name, title: `${name} (${userName})` }))]}
              error={faultOf('account')}
              width="230px"
            />
            <Select
              label="Reached by agents of the pool"
              value={pool}
              onChange={setPool}
              choices={[OPEN, ...pools.map(({ name, title }) => ({ id: name, title }))]}
              error={faultOf('pool')}
              width="230px"
            />
          </Row>
          {others.some(({ slug }) => slug !== system?.slug) && (
            <fieldset style={{ border: 0, padding: 0, margin: 0, maxHeight: 132, overflow: 'auto' }}>
              <legend style={{ padding: 0, marginBottom: 4 }}>It runs on</legend>
              <div style={{ display: 'grid', gridTemplateColumns: '1fr 1fr', gap: '3px 12px' }}>
                {others
                  .filter(({ slug }) => slug !== system?.slug)
                  .map(({ slug, title, kind: of }) => (
                    <Checkbox
                      key={slug}
                      isSelected={on.has(slug)}
                      onChange={(isOn) => setOn((before) => withOrWithout(before, slug, isOn))}
                    >
                      {title} <Small>{of}</Small>
                    </Checkbox>
                  ))}
              </div>
            </fieldset>
          )}
          {faultOf('on') && <Small style={{ color: 'var(--failed)' }}>{faultOf('on')}</Small>}
          {text('notes', 'Notes', '100%', { rows: 2 })}
          {jobs > 0 && (
            <Small>
              {count(jobs, 'job')} {jobs === 1 ? 'is' : 'are'} done on it: what changes here changes there, too. Runs
              that wait already keep what they were made with.
            </Small>
          )}
          <DialogButtons onClose={onClose}>{system ? 'Save' : 'Add'}</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
