'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import Link from 'next/link'
import { useRouter } from 'next/navigation'
import { useEffect, useMemo, useState, type ReactNode } from 'react'
import { faultsFrom } from '@/core/schema/faults'
import { jobSchema, type JobContent, type JobDefinition } from '@/core/work/job'
import type { AreaRow, JobFull } from '@/service/work'
import type { ApiProblem } from '@/ui/api'
import { api } from '@/ui/api'
import { duration } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useMay, useMe } from '@/ui/hooks/me'
import { Button, ButtonLink } from '@/ui/parts/button'
import { Confirm } from '@/ui/parts/dialog'
import { Select, Switch, TextField } from '@/ui/parts/fields'
import { Mute, Page, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { StartButton } from '../start-dialog'
import { BothVersions } from './both-versions'
import { EndingSection, InputsSection, WhatSection, WhereSection, type SectionProps } from './sections'
import { Paper, Sentence } from './sentence'

/** What is wrong, by path: checked as the person types. */
export function faultsOf(content: JobContent): Map<string, string> {
  const parsed = jobSchema.safeParse(content)
  const faults = new Map<string, string>()
  if (parsed.success) return faults
  for (const { path, message } of faultsFrom(parsed.error, content)) if (!faults.has(path)) faults.set(path, message)
  return faults
}

export function JobEditor({ job, initial }: { job: JobFull | null; initial: JobContent }): ReactNode {
  const [content, setContent] = useState(initial)
  const [saved, setSaved] = useState({ content: initial, version: job?.version ?? 0 })
  const [tried, setTried] = useState(false)
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  const [removing, setRemoving] = useState(false)
  const { data: areas = [] } = useQuery({ queryKey: ['areas'], queryFn: () => api.get<AreaRow[]>('/areas') })
  const { why } = useMay('design')
  const me = useMe()
  const router = useRouter()
  const client = useQueryClient()
  const say = useSay()
  const isChanged = useMemo(() => JSON.stringify(content) !== JSON.stringify(saved.content), [content, saved])
  useLeaveWarning(isChanged)

  const local = useMemo(() => faultsOf(content), [content])
  const server = new Map(trouble?.errors.map((fault) => [fault.path, fault.message]))
  const faultOf = (path: string): string | undefined =>
    server.get(path) ?? (tried || isTouched(path, content, initial) ? local.get(path) : undefined)
  const set = (change: Partial<JobContent>): void => {
    setTrouble(null)
    setContent((before) => ({ ...before, ...change }))
  }
  const define = (change: Partial<JobDefinition>): void => set({ definition: { ...content.definition, ...change } })
  const section: SectionProps = { definition: content.definition, define, faultOf }

  const save = (version = saved.version): void => {
    setTried(true)
    setTrouble(null)
    if (local.size > 0) return
    const done = (next: { id: number; version: number }): void => {
      setSaved({ content, version: next.version })
      setTried(false)
      void client.invalidateQueries({ queryKey: ['jobs'] })
      void client.invalidateQueries({ queryKey: ['areas'] })
      say(`${content.title} is saved.`)
      if (!job) router.replace(`/work/jobs/${next.id}`)
    }
    if (job)
      api
        .put<{ version: number }>(`/jobs/${job.id}`, { ...content, version })
        .then((answer) => done({ id: job.id, version: answer.version }), setTrouble)
    else api.post<{ id: number }>('/jobs', content).then(({ id }) => done({ id, version: 1 }), setTrouble)
  }
  const theirs = trouble?.code === 'conflict' ? (trouble.body.theirs as JobFull) : null
  const count = local.size
  return (
    <Page>
      <Row>
        <Mute>
          <Link href={content.areaId ? `/work?area=${content.areaId}` : '/work'} data-back>
            Work
          </Link>{' '}
          /
        </Mute>
        <h1>{job ? content.title || 'Untitled' : 'New job'}</h1>
        {job && (
          <Small>
            version {saved.version}, saved by{' '}
            {saved.version !== job.version || job.savedBy === me.name ? 'you' : job.savedBy}
          </Small>
        )}
        {isChanged && <Small>· not saved yet</Small>}
        <Spring />
        {tried && count > 0 && (
          <Small style={{ color: 'var(--failed)' }}>
            {count === 1 ? 'One thing is not right yet.' : `${count} things are not right yet.`}
          </Small>
        )}
        {job && <ButtonLink href={`/runs?job=${job.id}`}>Its runs</ButtonLink>}
        {job && <StartButton jobId={job.id} title={content.title} active={saved.content.active} />}
        {job && (
          <Button kind="danger" onPress={() => setRemoving(true)} whyNot={why}>
            Remove
          </Button>
        )}
        <Button kind="strong" onPress={() => save()} isDisabled={!isChanged} whyNot={why}>
          Save
        </Button>
      </Row>
      {trouble && !theirs && trouble.errors.length === 0 && <Trouble error={trouble} />}
      {theirs && (
        <BothVersions
          mine={content}
          theirs={theirs}
          onKeepMine={() => save(theirs.version)}
          onTakeTheirs={() => {
            const { title, notes, areaId, active, definition } = theirs
            const taken = { title, notes, areaId, active, definition }
            setContent(taken)
            setSaved({ content: taken, version: theirs.version })
            setTrouble(null)
          }}
        />
      )}
      <Paper inert={why !== undefined}>
        <Sentence>
          <TextField
            label="Title"
            value={content.title}
            onChange={(title) => set({ title })}
            error={faultOf('title')}
            width="300px"
            autoFocus={!job}
          />
          <Select
            label="in area"
            value={content.areaId ? String(content.areaId) : null}
            onChange={(id) => set({ areaId: Number(id) })}
            choices={areas.map((a) => ({ id: String(a.id), title: a.title }))}
            width="190px"
            error={faultOf('areaId')}
          />
          <div style={{ paddingTop: 22 }}>
            <Switch isSelected={content.active} onChange={(active) => set({ active })}>
              {content.active ? 'on: it may run' : 'off: it never runs'}
            </Switch>
          </div>
          {job !== null && job.usualMs !== null && (
            <Small style={{ paddingTop: 24 }}>usually takes {duration(job.usualMs)}</Small>
          )}
        </Sentence>
        <TextField
          label="Notes"
          rows={2}
          value={content.notes}
          onChange={(notes) => set({ notes })}
          error={faultOf('notes')}
        />
        <WhatSection {...section} />
        <WhereSection {...section} />
        <InputsSection {...section} />
        <EndingSection {...section} />
      </Paper>
      {why && <Small>{why}</Small>}
      <Confirm
        title={`Remove ${content.title}?`}
        isOpen={removing}
        onClose={() => setRemoving(false)}
        word="Remove it"
        onConfirm={() => {
          if (!job) return
          api.delete(`/jobs/${job.id}`).then(() => {
            setSaved({ content, version: saved.version })
            void client.invalidateQueries({ queryKey: ['jobs'] })
            router.push('/work')
          }, setTrouble)
        }}
      >
        It can no longer be started and leaves the lists. Its runs and their output stay as long as its keeping says;
        what runs now goes on.
      </Confirm>
    </Page>
  )
}

/** Faults of fields that are still as they were in the beginning are not shown before the first try to save. */
function isTouched(path: string, now: JobContent, initial: JobContent): boolean {
  const at = (root: unknown): unknown =>
    path
      .split(/[.[\]]+/)
      .filter(Boolean)
      .reduce<unknown>((value, key) => (value as Record<string, unknown> | undefined)?.[key], root)
  return JSON.stringify(at(now)) !== JSON.stringify(at(initial))
}

/** Closing the page, or following a link of ours, asks first while something is not saved. */
function useLeaveWarning(isChanged: boolean): void {
  useEffect(() => {
    if (!isChanged) return
    const onUnload = (event: BeforeUnloadEvent): void => event.preventDefault()
    const onClick = (event: MouseEvent): void => {
      const link = (event.target as Element).closest('a[href]')
      if (!link || link.getAttribute('target') === '_blank' || event.defaultPrevented) return
      if (!window.confirm('Your changes are not saved. Leave them?')) {
        event.preventDefault()
        event.stopPropagation()
      }
    }
    window.addEventListener('beforeunload', onUnload)
    document.addEventListener('click', onClick, true)
    return () => {
      window.removeEventListener('beforeunload', onUnload)
      document.removeEventListener('click', onClick, true)
    }
  }, [isChanged])
}
