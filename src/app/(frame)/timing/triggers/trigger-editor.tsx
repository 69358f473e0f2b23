'use client'
import { useQueryClient } from '@tanstack/react-query'
import dynamic from 'next/dynamic'
import { useRouter } from 'next/navigation'
import { useState, type ReactNode } from 'react'
import styled from 'styled-components'
import { isTimed, kindOf } from '@/core/events/kinds'
import type { TriggerDefinition } from '@/core/work/trigger'
import type { CalendarRow } from '@/service/timing/calendars'
import type { TriggerFull } from '@/service/timing/triggers'
import type { JobRow } from '@/service/work/work'
import { api } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useAddress } from '@/ui/hooks/address'
import { useDraft } from '@/ui/hooks/draft'
import { useMay, useMe } from '@/ui/hooks/me'
import { whatIfPath } from '@/app/shared/timing/what-if'
import { Button, ButtonLink } from '@/ui/parts/button'
import { Confirm } from '@/ui/parts/dialog'
import { DraftNews } from '@/ui/parts/draft-news'
import { EditorHead } from '@/ui/parts/editor-head'
import { Page, Panel, SCROLLS, Small } from '@/ui/parts/layout'
import { Tabs } from '@/ui/parts/tabs'
import { useTriggerPreview } from '../use-preview'
import { contentOf, contentSchema, type Content } from './content'
import { Foresight } from './foresight'
import { TriggerForm } from './trigger-form'

// What is shown of a trigger that is there already, and only when asked for.
const HistoryTab = dynamic(() => import('./history-tab').then((module) => module.HistoryTab))
const TryIt = dynamic(() => import('./try-it').then((module) => module.TryIt))
const MachinesTab = dynamic(() => import('./machines-tab').then((module) => module.MachinesTab))
const StartByHand = dynamic(() => import('./start-by-hand').then((module) => module.StartByHand))

const News = styled.div`
  &:not(:empty) {
    margin-bottom: 12px;
  }
`

/** One trigger: its phrase and its form in step, what it will do, and what it did. */
export function TriggerEditor({
  trigger,
  initial,
  calendars,
  jobs,
}: {
  trigger: TriggerFull | null
  initial: Content
  calendars: readonly CalendarRow[]
  jobs: readonly JobRow[]
}): ReactNode {
  const { values, set: setAddress } = useAddress()
  const { why } = useMay('design')
  const me = useMe()
  const router = useRouter()
  const client = useQueryClient()
  const say = useSay()
  const [removing, setRemoving] = useState(false)
  const [phraseFault, setPhraseFault] = useState<string | null>(null)
  const draft = useDraft<Content>(contentSchema, initial, trigger?.version ?? 0, ({ title }) => {
    void client.invalidateQueries({ queryKey: ['triggers'] })
    void client.invalidateQueries({ queryKey: ['coming'] })
    say(`${title} is saved.`)
  })
  const { content, set, trouble, become, isChanged } = draft
  const define = (change: Partial<TriggerDefinition>): void => {
    // undefined takes a key away.
    const next = Object.fromEntries(
      Object.entries({ ...content.definition, ...change }).filter(([, value]) => value !== undefined),
    ) as TriggerDefinition
    set({ definition: next })
  }
  const isReadable = ![...draft.faults.keys()].some((path) => path.startsWith('definition'))
  const preview = useTriggerPreview(
    isReadable
      ? {
          id: trigger?.id ?? null,
          jobId: content.jobId || null,
          enabled: content.enabled,
          definition: content.definition,
        }
      : null,
  )
  const mustAsk = trouble?.code === 'ask-first'
  const save = (version = draft.version): void => {
    if (phraseFault !== null) return say('The phrase is not understood yet; nothing is saved.', { bad: true })
    draft.save(async (body) => {
      if (trigger)
        return (await api.put<{ version: number }>(`/triggers/${trigger.id}`, { ...body, version, sure: mustAsk }))
          .version
      const { id } = await api.post<{ id: number }>('/triggers', { ...body, sure: mustAsk })
      router.replace(`/timing/triggers/${id}`)
      return 1
    })
  }
  const editor = (
    <div style={{ ...SCROLLS, flex: 1, minHeight: 0, padding: '12px 14px 20px' }}>
      <News>
        <DraftNews draft={draft} what="trigger" contentOf={contentOf} onSave={save} isTroubleAtFields={!mustAsk} />
      </News>
      <div style={{ display: 'grid', gridTemplateColumns: 'minmax(0, 1fr) 392px', gap: 18 }}>
        <TriggerForm
          id={trigger?.id ?? null}
          content={content}
          set={set}
          define={define}
          faultOf={draft.faultOf}
          calendars={calendars}
          jobs={jobs}
          clockDates={preview.data?.clockDates ?? []}
          onPhraseFault={setPhraseFault}
          isLocked={why !== undefined}
        />
        {isTimed(content.definition) ? (
          <Foresight
            preview={preview.data}
            error={preview.error}
            isStale={preview.isPlaceholderData || !isReadable}
            zone={content.definition.zone ?? me.zone}
            isChanged={isChanged}
            isNew={trigger === null}
            spread={content.definition.spread}
          />
        ) : (
          <TryIt
            key={kindOf(content.definition)}
            preview={preview.data}
            error={preview.error}
            definition={content.definition}
            jobId={content.jobId}
          />
        )}
      </div>
      {why && <Small>{why}</Small>}
    </div>
  )
  return (
    <Page style={{ overflow: 'hidden' }}>
      <EditorHead
        href="/timing"
        back="Timing"
        what="trigger"
        saved={trigger}
        draft={draft}
        isSavable={isChanged || trigger === null}
        saveWord={mustAsk ? 'Save it all the same' : 'Save'}
        onSave={() => save()}
        why={why}
      >
        {trigger && isTimed(content.definition) && (
          <ButtonLink href={whatIfPath({ off: { trigger: trigger.slug } })}>What if …</ButtonLink>
        )}
        {trigger && <StartByHand trigger={trigger} machines={preview.data?.facts?.machines ?? 1} />}
        {trigger && (
          <Button kind="danger" onPress={() => setRemoving(true)} whyNot={why}>
            Remove
          </Button>
        )}
      </EditorHead>
      <Panel style={{ flex: 1, minHeight: 0, display: 'flex', flexDirection: 'column' }}>
        {trigger ? (
          <Tabs
            label="Trigger"
            tabs={[
              { id: 'rule', title: 'When it fires', content: editor },
              { id: 'history', title: 'History', content: <HistoryTab id={trigger.id} /> },
              { id: 'machines', title: 'Machines', content: <MachinesTab id={trigger.id} /> },
            ]}
            selected={['history', 'machines'].includes(values.tab ?? '') ? (values.tab as string) : 'rule'}
            onSelect={(tab) => setAddress({ tab: tab === 'rule' ? null : tab })}
          />
        ) : (
          editor
        )}
      </Panel>
      <Confirm
        title={`Remove ${content.title}?`}
        isOpen={removing}
        onClose={() => setRemoving(false)}
        word="Remove it"
        onConfirm={() => {
          if (!trigger) return
          api.delete(`/triggers/${trigger.id}`).then(() => {
            become(content, draft.version)
            void client.invalidateQueries({ queryKey: ['triggers'] })
            router.push('/timing')
          }, draft.setTrouble)
        }}
      >
        It starts nothing any more and leaves the lists. Its runs and what it did not start stay in the history; what
        runs now goes on. To keep it for later, switch it off instead.
      </Confirm>
    </Page>
  )
}
