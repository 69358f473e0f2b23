'use client'
import { useQueryClient } from '@tanstack/react-query'
import { Redo2, Undo2 } from 'lucide-react'
import { useRouter } from 'next/navigation'
import { useCallback, useDeferredValue, useMemo, useRef, useState, type ReactNode } from 'react'
import { flowContentSchema, flowDefinitionSchema, type FlowContent, type FlowDefinition } from '@/core/work/flow'
import type { FlowFull, FlowMaterial } from '@/service/work/flows'
import type { Fault } from '@/core/schema/faults'
import { api } from '@/ui/api'
import { count, duration } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useAddress } from '@/ui/hooks/address'
import { useDraft } from '@/ui/hooks/draft'
import { useLatest } from '@/ui/hooks/latest'
import { useMay } from '@/ui/hooks/me'
import { Button, ButtonLink } from '@/ui/parts/button'
import { Confirm } from '@/ui/parts/dialog'
import { DraftNews } from '@/ui/parts/draft-news'
import { EditorHead } from '@/ui/parts/editor-head'
import { Page, Panel, SCROLLS, Small } from '@/ui/parts/layout'
import { WhoMayButton } from '@/app/shared/people/who-may'
import { StartButton } from '@/app/shared/work/start-dialog'
import { VersionsButton } from '../versions'
import { EditorOutline } from './editor-outline'
import { EditorPicture } from './editor-picture'
import { modelOf, type Model } from './editor-model'
import { FlowHead } from './flow-head'
import { FlowTabs } from './flow-tabs'
import { Palette, type PaletteHandle } from './palette'
import { useEdits } from './use-edits'
import { useHistory } from './use-history'
import { useRehearsal } from './use-rehearsal'

/** A flow is built here: its picture, the same as a list, and each step in sentences, always in step. */
export function FlowEditor({
  flow,
  initial,
  material,
}: {
  flow: FlowFull | null
  initial: FlowContent
  material: FlowMaterial
}): ReactNode {
  const [removing, setRemoving] = useState(false)
  const palette = useRef<PaletteHandle>(null)
  const { values, now: addressNow, set: setAddress } = useAddress()
  const { why } = useMay('design')
  const router = useRouter()
  const client = useQueryClient()
  const say = useSay()
  const draft = useDraft(flowContentSchema, initial, flow?.version ?? 0, ({ title }) => {
    void client.invalidateQueries({ queryKey: ['jobs'] })
    void client.invalidateQueries({ queryKey: ['areas'] })
    say(`${title} is saved.`)
  })
  const { content, set, faultOf, setTrouble, become } = draft
  const history = useHistory(content, (value) => set(value))
  const change = (next: Partial<FlowContent>, what: string): void => {
    history.note(content, what)
    set(next)
  }
  const onChange = useLatest(change)
  const { definition } = content
  const define = (next: FlowDefinition, what: string): void => change({ definition: next }, what)
  // What follows from the flow comes a moment after the key that changed it: fields never wait for it.
  const settled = useDeferredValue(definition)
  const model = useMemo(() => modelOf(settled, flow?.slug ?? null, material), [settled, flow?.slug, material])
  const rehearsal = useRehearsal(settled, flow?.slug ?? null, material, model, values.tab === 'rehearse')

  // A step within a flow step is chosen in the picture, but changed in its own flow.
  const chosenPath = values.step ?? null
  const chosen = definition.steps.find(({ id }) => id === chosenPath) ?? null
  const choose = (path: string | null): void => {
    setAddress({ step: path, ...(addressNow().tab === 'rehearse' ? {} : { tab: null }) }, 'replace')
  }
  const onChoose = useLatest(choose)
  const outer = chosen ?? definition.steps.find(({ id }) => id === chosenPath?.split('/')[0]) ?? null

  const save = (version = draft.version): void =>
    draft.save(async (body) => {
      if (flow) return (await api.put<{ version: number }>(`/flows/${flow.id}`, { ...body, version })).version
      const { id } = await api.post<{ id: number }>('/flows', body)
      router.replace(`/work/flows/${id}`)
      return 1
    })
  const faults = useMemo(() => [...shapeFaults(draft.faults), ...model.faults], [draft.faults, model.faults])
  const usual = useMemo(() => usualWords(model), [model])
  const edits = useEdits(definition, define, choose, material)
  const chosenNow = useCallback(() => addressNow().step ?? null, [addressNow])
  const tools = useMemo(
    () => (
      <>
        <Button onPress={() => palette.current?.open('step')} whyNot={why}>
          Add a step
        </Button>
        <Button onPress={() => palette.current?.open('gate')} whyNot={why}>
          Set a gate
        </Button>
      </>
    ),
    [why],
  )
  return (
    <Page style={{ gap: 8 }}>
      <EditorHead
        href={content.areaId ? `/work?area=${content.areaId}` : '/work'}
        back="Work"
        what="flow"
        saved={flow}
        draft={draft}
        faultCount={faults.length}
        tools={
          <>
            <Button kind="quiet" aria-label="Undo" onPress={() => history.undo?.()} isDisabled={!history.undo}>
              <Undo2 size={15} aria-hidden="true" />
            </Button>
            <Button kind="quiet" aria-label="Do again" onPress={() => history.redo?.()} isDisabled={!history.redo}>
              <Redo2 size={15} aria-hidden="true" />
            </Button>
          </>
        }
        onSave={() => save()}
        why={why}
      >
        {flow && (
          <VersionsButton
            id={flow.id}
            version={draft.version}
            onBringBack={(old, of) => {
              const read = flowDefinitionSchema.safeParse(old)
              if (!read.success) return say('This version cannot be read by this Bugle.', { bad: true })
              define(read.data, `version ${of}`)
              say(`Version ${of} stands in the picture. It counts once it is saved.`)
            }}
          />
        )}
        {flow && <ButtonLink href={`/runs?job=${flow.id}`}>Its runs</ButtonLink>}
        {flow && <WhoMayButton path={`/jobs/${flow.id}`} title={flow.title} />}
        {flow && <StartButton jobId={flow.id} title={content.title} active={content.active} what="flow" />}
        {flow && (
          <Button kind="danger" onPress={() => setRemoving(true)} whyNot={why}>
            Remove
          </Button>
        )}
      </EditorHead>
      <DraftNews draft={draft} what="flow" contentOf={contentOf} onSave={save} />
      <FlowHead
        title={content.title}
        areaId={content.areaId}
        active={content.active}
        titleFault={faultOf('title')}
        areaFault={faultOf('areaId')}
        isNew={!flow}
        isLocked={why !== undefined}
        onChange={onChange}
      >
        {usual}
      </FlowHead>
      <EditorPicture
        model={model}
        material={material}
        definition={settled}
        isRehearsed={rehearsal.isOn}
        rehearsal={typeof rehearsal.result === 'object' ? rehearsal.result : null}
        chosenPath={chosenPath}
        chosenNow={chosenNow}
        onChoose={onChoose}
        onTie={why === undefined ? edits.onTie : undefined}
        onDropWork={why === undefined ? edits.onAdd : undefined}
        onDropGate={why === undefined ? edits.onDropGate : undefined}
        tools={tools}
      />
      <Panel style={{ flex: 1, minHeight: 300, display: 'flex' }}>
        <div
          style={{
            width: 330,
            flex: 'none',
            borderRight: '1px solid var(--line)',
            ...SCROLLS,
          }}
        >
          <EditorOutline
            definition={settled}
            material={material}
            faults={faults}
            chosen={outer?.id ?? null}
            onChoose={onChoose}
            onRemove={why === undefined ? edits.onRemove : undefined}
          />
        </div>
        <div style={{ flex: 1, minWidth: 0, display: 'flex', position: 'relative' }}>
          <Palette
            handle={palette}
            material={material}
            definition={settled}
            chosen={outer?.id ?? null}
            onAdd={edits.onAdd}
            onGate={edits.onGate}
          />
          <FlowTabs
            content={content}
            settled={settled}
            model={model}
            material={material}
            rehearsal={rehearsal}
            faults={faults}
            step={outer}
            isInside={chosen === null}
            chosenPath={chosenPath}
            isLocked={why !== undefined}
            change={change}
            faultOf={faultOf}
            choose={onChoose}
            edits={edits}
          />
        </div>
      </Panel>
      {why && <Small>{why}</Small>}
      <Confirm
        title={`Remove ${content.title}?`}
        isOpen={removing}
        onClose={() => setRemoving(false)}
        word="Remove it"
        onConfirm={() => {
          if (!flow) return
          api.delete(`/flows/${flow.id}`).then(() => {
            become(content, draft.version)
            void client.invalidateQueries({ queryKey: ['jobs'] })
            router.push('/work')
          }, setTrouble)
        }}
      >
        {count(definition.steps.length, 'step')}. It can no longer be started and leaves the lists. Its runs stay as
        long as its keeping says; what runs now goes on.
      </Confirm>
    </Page>
  )
}

const shapeFaults = (faults: ReadonlyMap<string, string>): Fault[] =>
  [...faults].map(([path, message]) => ({ path: path.replace(/^definition\.?/, ''), message }))

/** How long the flow usually takes, and the last steps of the chain that decides it. */
function usualWords({ plan, decides, lengthMs }: Model): ReactNode {
  if (!plan || plan.steps.length === 0) return null
  const chain = plan.steps.filter(({ index, flow: inner }) => decides.has(index) && inner === null)
  return (
    <>
      usually takes <b>{duration(lengthMs)}</b>
      {chain.length > 0 && ` · decided by ${chain.slice(-4).map(nameOf).join(' → ')}`}
    </>
  )
}

const nameOf = ({ definition, path }: { definition: { title?: string | undefined }; path: string }): string =>
  definition.title ?? path

export function contentOf({ title, notes, areaId, active, definition }: FlowFull): FlowContent {
  return { title, notes, areaId, active, definition }
}
