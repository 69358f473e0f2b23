'use client'
import { useQueryClient } from '@tanstack/react-query'
import { Redo2, Undo2 } from 'lucide-react'
import dynamic from 'next/dynamic'
import { useRouter } from 'next/navigation'
import { useCallback, useDeferredValue, useMemo, useRef, useState, type ReactNode } from 'react'
import {
  addStep,
  changeStep,
  freeStepId,
  gateStep,
  groupStep,
  groupWith,
  linkSteps,
  removeStep,
  routeStep,
  type Place,
} from '@/core/flow/edit'
import {
  flowContentSchema,
  flowDefinitionSchema,
  type FlowContent,
  type FlowDefinition,
  type FlowStep,
} from '@/core/work/flow'
import type { FlowFull, FlowMaterial } from '@/service/work/flows'
import type { Fault } from '@/core/schema/faults'
import { api } from '@/ui/api'
import { count, duration } from '@/ui/format'
import type { Tie } from '@/app/shared/flow/use-drags'
import { useSay } from '@/ui/frame/announcer'
import { useAddress } from '@/ui/hooks/address'
import { useDraft } from '@/ui/hooks/draft'
import { useLatest } from '@/ui/hooks/latest'
import { useMay } from '@/ui/hooks/me'
import { Button, ButtonLink } from '@/ui/parts/button'
import { Confirm } from '@/ui/parts/dialog'
import { DraftNews } from '@/ui/parts/draft-news'
import { EditorHead } from '@/ui/parts/editor-head'
import { Mute, Page, Panel, SCROLLS, Small } from '@/ui/parts/layout'
import { Reading } from '@/ui/parts/reading'
import { Tabs } from '@/ui/parts/tabs'
import { StartButton } from '@/app/shared/work/start-dialog'
import { VersionsButton } from '../versions'
import { EditorOutline } from './editor-outline'
import { EditorPicture } from './editor-picture'
import { modelOf, type Model } from './editor-model'
import { FlowForm } from './flow-form'
import { FlowHead } from './flow-head'
import { Palette, type PaletteHandle } from './palette'
import { Problems } from './problems'
import { offered } from './set-gate'
import { StepForm } from './step-form'
import { useHistory } from './use-history'
import { useRehearsal } from './use-rehearsal'

const RehearseTab = dynamic(() => import('./rehearse-tab').then((module) => module.RehearseTab))

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
  const tie = (from: string, to: string | null, how: Tie): void => {
    const group = definition.groups.find(({ steps }) => steps.includes(from))
    if (to === null && !group) return
    const tied =
      to === null
        ? groupStep(definition, from, null)
        : { link: linkSteps, route: routeStep, group: groupWith }[how](definition, from, to)
    if (tied && tied !== definition) define(tied, `${how} ${from} ${to}`)
    if (tied && how === 'group') {
      const now = tied.groups.find(({ steps }) => steps.includes(from))
      say(
        now
          ? `${from} is in the group ${now.id}, with ${now.steps.filter((id) => id !== from).join(', ')}.`
          : `${from} is no longer in the group ${group?.id}.`,
      )
    } else if (!tied && from !== to)
      say(`${to} leads to ${from} already: a ${how} back would go in a circle.`, { bad: true })
  }
  const gate = (next: FlowStep['gate'], id: string): void => {
    define(gateStep(definition, id, next), `gate ${id}`)
    choose(id)
  }
  const onGate = useLatest(gate)
  const onDropGate = useLatest((dropped: string, id: string) => {
    const offer = offered(dropped, material, definition)
    if (offer) gate(offer.gate, id)
  })
  const add = (work: string, place: Place): void => {
    const [kind, slug] = work.split(' ') as ['job' | 'flow', string]
    const id = freeStepId(definition, slug)
    define(addStep(definition, kind === 'job' ? { job: slug } : { flow: slug }, id, place), `add ${id}`)
    choose(id)
  }
  const onAdd = useLatest(add)
  const onTie = useLatest(tie)
  const remove = (id: string): void => {
    define(removeStep(definition, id), `remove ${id}`)
    choose(null)
  }
  const onRemove = useLatest(remove)
  const onStep = useLatest((step: FlowStep, what: string) =>
    define(
      changeStep(definition, step.id, () => step),
      `${step.id} ${what}`,
    ),
  )
  const onDefine = useLatest((edit: (flow: FlowDefinition) => FlowDefinition, what: string) =>
    define(edit(definition), what),
  )
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
        onTie={why === undefined ? onTie : undefined}
        onDropWork={why === undefined ? onAdd : undefined}
        onDropGate={why === undefined ? onDropGate : undefined}
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
            onRemove={why === undefined ? onRemove : undefined}
          />
        </div>
        <div style={{ flex: 1, minWidth: 0, display: 'flex', position: 'relative' }}>
          <Palette
            handle={palette}
            material={material}
            definition={settled}
            chosen={outer?.id ?? null}
            onAdd={onAdd}
            onGate={onGate}
          />
          <Tabs
            label="About this flow"
            selected={values.tab ?? (outer ? 'step' : 'flow')}
            onSelect={(tab) => setAddress({ tab }, 'replace')}
            tabs={[
              {
                id: 'step',
                title: 'Step',
                content: outer ? (
                  <Reading isOn={why !== undefined}>
                    <div style={SCROLLS}>
                      <StepForm
                        key={outer.id}
                        step={outer}
                        definition={settled}
                        material={material}
                        faults={faults}
                        isInside={chosen === null}
                        onChange={onStep}
                        onDefine={onDefine}
                        onRename={onChoose}
                        onRemove={onRemove}
                      />
                    </div>
                  </Reading>
                ) : (
                  <Mute style={{ padding: 14 }}>Choose a step in the picture or the list, or add one.</Mute>
                ),
              },
              {
                id: 'flow',
                title: 'The flow',
                content: (
                  <Reading isOn={why !== undefined}>
                    <div style={SCROLLS}>
                      <FlowForm content={content} change={change} faultOf={faultOf} />
                    </div>
                  </Reading>
                ),
              },
              {
                id: 'rehearse',
                title: 'Rehearse',
                content: (
                  <RehearseTab rehearsal={rehearsal} definition={definition} model={model} chosenPath={chosenPath} />
                ),
              },
              {
                id: 'problems',
                title: faults.length > 0 ? `Problems ${faults.length}` : 'Problems',
                content: (
                  <Problems
                    faults={faults}
                    definition={settled}
                    onChoose={(id) => setAddress({ step: id, tab: 'step' }, 'replace')}
                  />
                ),
              },
            ]}
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
