'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useRouter } from 'next/navigation'
import { useState, type ReactNode } from 'react'
import { jobDefinitionSchema, jobSchema, type JobContent, type JobDefinition } from '@/core/work/job'
import type { JobFull } from '@/service/work/work'
import { api } from '@/ui/api'
import { duration } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useDraft } from '@/ui/hooks/draft'
import { useMay } from '@/ui/hooks/me'
import { whatIfPath } from '@/app/shared/timing/what-if'
import { Button, ButtonLink } from '@/ui/parts/button'
import { Confirm } from '@/ui/parts/dialog'
import { DraftNews } from '@/ui/parts/draft-news'
import { EditorHead } from '@/ui/parts/editor-head'
import { Switch, TextField } from '@/ui/parts/fields'
import { Page, Small } from '@/ui/parts/layout'
import { Reading } from '@/ui/parts/reading'
import { Paper, Sentence } from '@/ui/parts/sentence'
import { AreaField } from '../area-field'
import { WhoMayButton } from '@/app/shared/people/who-may'
import { SaidBySystem } from '@/app/shared/work/connections/said'
import { StartButton } from '@/app/shared/work/start-dialog'
import { InputsSection } from '../inputs-section'
import { VersionsButton } from '../versions'
import type { SectionProps } from './section-props'
import { EndingSection, WhatSection } from './sections'
import { QueuesSection } from './queues-section'
import { SystemSection, useOnSystem } from './system-section'
import { WatchesSection } from './watches-section'
import { WhereSection } from './where-section'

export function JobEditor({ job, initial }: { job: JobFull | null; initial: JobContent }): ReactNode {
  const [removing, setRemoving] = useState(false)
  const { why } = useMay('design')
  const router = useRouter()
  const client = useQueryClient()
  const say = useSay()
  const draft = useDraft(jobSchema, initial, job?.version ?? 0, ({ title }) => {
    void client.invalidateQueries({ queryKey: ['jobs'] })
    void client.invalidateQueries({ queryKey: ['areas'] })
    say(`${title} is saved.`)
  })
  const { content, set, faultOf, setTrouble, become } = draft
  const { said, place } = useOnSystem(content.definition)
  const define = (change: Partial<JobDefinition>): void =>
    set({ definition: place({ ...content.definition, ...change }) })
  const section: SectionProps = { definition: content.definition, define, faultOf }

  const save = (version = draft.version): void =>
    draft.save(async (body) => {
      if (job) return (await api.put<{ version: number }>(`/jobs/${job.id}`, { ...body, version })).version
      const { id } = await api.post<{ id: number }>('/jobs', body)
      router.replace(`/work/jobs/${id}`)
      return 1
    })
  return (
    <Page>
      <EditorHead
        href={content.areaId ? `/work?area=${content.areaId}` : '/work'}
        back="Work"
        what="job"
        saved={job}
        draft={draft}
        onSave={() => save()}
        why={why}
      >
        {job && (
          <VersionsButton
            id={job.id}
            version={draft.version}
            onBringBack={(old, of) => {
              const read = jobDefinitionSchema.safeParse(old)
              if (!read.success) return say('This version cannot be read by this Bugle.', { bad: true })
              set({ definition: read.data })
              say(`Version ${of} stands in the form. It counts once it is saved.`)
            }}
          />
        )}
        {job && <ButtonLink href={`/runs?job=${job.id}`}>Its runs</ButtonLink>}
        {job && <ButtonLink href={`/work/jobs/${job.id}/measures`}>Measures</ButtonLink>}
        {job && <ButtonLink href={whatIfPath({ length: { job: job.slug, times: 1.5 } })}>What if …</ButtonLink>}
        {job && <WhoMayButton path={`/jobs/${job.id}`} title={job.title} />}
        {job && <ButtonLink href={`/timing/triggers/new?job=${job.id}`}>Start it by itself</ButtonLink>}
        {job && <StartButton jobId={job.id} title={content.title} active={job.active} />}
        {job && (
          <Button kind="danger" onPress={() => setRemoving(true)} whyNot={why}>
            Remove
          </Button>
        )}
      </EditorHead>
      <DraftNews draft={draft} what="job" contentOf={contentOf} onSave={save} isTroubleAtFields />
      <Reading isOn={why !== undefined}>
        <Paper>
          <Sentence>
            <TextField
              label="Title"
              value={content.title}
              onChange={(title) => set({ title })}
              error={faultOf('title')}
              width="300px"
              autoFocus={!job}
            />
            <AreaField areaId={content.areaId} onChange={(areaId) => set({ areaId })} error={faultOf('areaId')} />
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
          <SaidBySystem value={said}>
            <WhatSection {...section} />
            <SystemSection {...section} />
            <WhereSection {...section} />
          </SaidBySystem>
          <QueuesSection {...section} />
          <InputsSection {...section} />
          <EndingSection {...section} />
          <WatchesSection {...section} />
        </Paper>
      </Reading>
      {why && <Small>{why}</Small>}
      <Confirm
        title={`Remove ${content.title}?`}
        isOpen={removing}
        onClose={() => setRemoving(false)}
        word="Remove it"
        onConfirm={() => {
          if (!job) return
          api.delete(`/jobs/${job.id}`).then(() => {
            become(content, draft.version)
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

export function contentOf({ title, notes, areaId, active, definition }: JobFull): JobContent {
  return { title, notes, areaId, active, definition }
}
