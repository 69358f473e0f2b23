'use client'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { Redo2, Undo2 } from 'lucide-react'
import Link from 'next/link'
import { useRouter } from 'next/navigation'
import { useDeferredValue, useMemo, useState, type ReactNode } from 'react'
import { changeStep, linkSteps, removeStep } from '@/core/flow/edit'
import { flowContentSchema, type FlowContent, type FlowDefinition } from '@/core/work/flow'
import type { FlowFull, FlowMaterial } from '@/service/flows'
import type { AreaRow } from '@/service/work'
import { api } from '@/ui/api'
import { count, duration } from '@/ui/format'
import { useSay } from '@/ui/frame/announcer'
import { useAddress } from '@/ui/hooks/address'
import { useDraft } from '@/ui/hooks/draft'
import { useMay, useMe } from '@/ui/hooks/me'
import { BothVersions } from '@/ui/parts/both-versions'
import { Button, ButtonLink } from '@/ui/parts/button'
import { Confirm } from '@/ui/parts/dialog'
import { Select, Switch, TextField } from '@/ui/parts/fields'
import { Mute, Page, Panel, Row, Small, Spring, Trouble } from '@/ui/parts/layout'
import { Sentence } from '@/ui/parts/sentence'
import { Tabs } from '@/ui/parts/tabs'
import { StartButton } from '../start-dialog'
import { AddStep } from './add-step'
import { EditorOutline } from './editor-outline'
import { EditorPicture } from './editor-picture'
import { modelOf } from './editor-model'
import { FlowForm } from './flow-form'
import { Problems } from './problems'
import { RehearseTab, useRehearsal } from './rehearse-tab'
import { StepForm } from './step-form'
import { useHistory } from './use-history'

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
  const [adding, setAdding] = useState(false)
  const { values, set: setAddress } = useAddress()
  const { data: areas = [] } = useQuery({ queryKey: ['areas'], queryFn: () => api.get<AreaRow[]>('/areas') })
  const { why } = useMay('design')
  const me = useMe()
  const router = useRouter()
  const client = useQueryClient()
  const say = useSay()
  const draft = useDraft(flowContentSchema, initial, flow?.version ?? 0, ({ title }) => {
    void client.invalidateQueries({ queryKey: ['jobs'] })
    void client.invalidateQueries({ queryKey: ['areas'] })
    say(`${title} is saved.`)
  })
  const { content, set, isChanged, tried, faultOf, trouble, setTrouble, become } = draft
  const history = useHistory(content, (value) => set(value))
  const change = (next: Partial<FlowContent>, what: string): void => {
    history.note(content, what)
    set(next)
  }
  const { definition } = content
  const define = (next: FlowDefinition, what: string): void => change({ definition: next }, what)
  const model = useMemo(() => modelOf(definition, flow?.slug ?? null, material), [definition, flow?.slug, material])
  const later = useDeferredValue(model)
  const rehearsal = useRehearsal(definition, flow?.slug ?? null, material, model, values.tab === 'rehearse')

  // A step within a flow step is chosen in the picture, but changed in its own flow.
  const chosenPath = values.step ?? null
  const chosen = definition.steps.find(({ id }) => id === chosenPath) ?? null
  const choose = (path: string | null): void => {
    const isRehearsing = new URLSearchParams(window.location.search).get('tab') === 'rehearse'
    setAddress({ step: path, ...(isRehearsing ? {} : { tab: null }) }, 'replace')
  }
  const outer = chosen ?? definition.steps.find(({ id }) => id === chosenPath?.split('/')[0]) ?? null

  const save = (version = draft.version): void =>
    draft.save(async (body) => {
      if (flow) return (await api.put<{ version: number }>(`/flows/${flow.id}`, { ...body, version })).version
      const { id } = await api.post<{ id: number }>('/flows', body)
      router.replace(`/work/flows/${id}`)
      return 1
    })
  const theirs = trouble?.code === 'conflict' ? (trouble.body.theirs as FlowFull) : null
  const shapeFaults = [...draft.faults].map(([path, message]) => ({
    path: path.replace(/^definition\.?/, ''),
    message,
  }))
  const faults = [...shapeFaults, ...model.faults]
  const chain = model.plan
    ? model.plan.steps.filter(({ index, flow: inner }) => model.decides.has(index) && inner === null)
    : []
  const link = (from: string, to: string): void => {
    const linked = linkSteps(definition, from, to)
    if (linked) define(linked, `link ${from} ${to}`)
    else say(`${to} leads to ${from} already: a link back would go in a circle.`, { bad: true })
  }
  const remove = (id: string): void => {
    define(removeStep(definition, id), `remove ${id}`)
    choose(null)
  }
  return (
    <Page style={{ overflow: 'auto', gap: 8 }}>
      <Row>
        <Mute>
          <Link href={content.areaId ? `/work?area=${content.areaId}` : '/work'} data-back>
            Work
          </Link>{' '}
          /
        </Mute>
        <h1>{flow ? content.title || 'Untitled' : 'New flow'}</h1>
        {flow && (
          <Small>
            version {draft.version}, saved by{' '}
            {draft.version !== flow.version || flow.savedBy === me.name ? 'you' : flow.savedBy}
          </Small>
        )}
        {isChanged && <Small>· not saved yet</Small>}
        <Spring />
        <Button kind="quiet" aria-label="Undo" onPress={() => history.undo?.()} isDisabled={!history.undo}>
          <Undo2 size={15} aria-hidden="true" />
        </Button>
        <Button kind="quiet" aria-label="Do again" onPress={() => history.redo?.()} isDisabled={!history.redo}>
          <Redo2 size={15} aria-hidden="true" />
        </Button>
        {tried && faults.length > 0 && (
          <Small style={{ color: 'var(--failed)' }}>
            {faults.length === 1 ? 'One thing is not right yet.' : `${faults.length} things are not right yet.`}
          </Small>
        )}
        {flow && <ButtonLink href={`/runs?job=${flow.id}`}>Its runs</ButtonLink>}
        {flow && <StartButton jobId={flow.id} title={content.title} active={content.active} what="flow" />}
        {flow && (
          <Button kind="danger" onPress={() => setRemoving(true)} whyNot={why}>
            Remove
          </Button>
        )}
        <Button kind="strong" onPress={() => save()} isDisabled={!isChanged} whyNot={why}>
          Save
        </Button>
      </Row>
      {trouble && !theirs && <Trouble error={trouble} />}
      {theirs && (
        <BothVersions
          what="flow"
          mine={content}
          theirs={contentOf(theirs)}
          version={theirs.version}
          savedBy={theirs.savedBy}
          onKeepMine={() => save(theirs.version)}
          onTakeTheirs={() => become(contentOf(theirs), theirs.version)}
        />
      )}
      <Sentence inert={why !== undefined}>
        <TextField
          label="Title"
          value={content.title}
          onChange={(title) => change({ title }, 'title')}
          error={faultOf('title')}
          width="280px"
          autoFocus={!flow}
        />
        <Select
          label="in area"
          value={content.areaId ? String(content.areaId) : null}
          onChange={(id) => change({ areaId: Number(id) }, 'area')}
          choices={areas.map((area) => ({ id: String(area.id), title: area.title }))}
          width="180px"
          error={faultOf('areaId')}
        />
        <div style={{ paddingTop: 22 }}>
          <Switch isSelected={content.active} onChange={(active) => change({ active }, 'switch')}>
            {content.active ? 'on: it may run' : 'off: it never runs'}
          </Switch>
        </div>
        {definition.steps.length > 0 && model.plan && (
          <Small style={{ paddingTop: 24 }}>
            usually takes <b>{duration(model.lengthMs)}</b>
            {chain.length > 0 && ` · decided by ${chain.slice(-4).map(nameOf).join(' → ')}`}
          </Small>
        )}
      </Sentence>
      <EditorPicture
        model={later}
        material={material}
        definition={definition}
        rehearsal={rehearsal}
        chosenPath={chosenPath}
        onChoose={choose}
        onLink={why === undefined ? link : undefined}
        tools={
          <Button onPress={() => setAdding(true)} whyNot={why}>
            Add a step
          </Button>
        }
      />
      <AddStep
        definition={definition}
        material={material}
        chosen={outer?.id ?? null}
        isOpen={adding}
        onClose={() => setAdding(false)}
        onAdd={(next, id) => {
          define(next, `add ${id}`)
          choose(id)
        }}
      />
      <Panel style={{ flex: 1, minHeight: 300, display: 'flex' }}>
        <div style={{ width: 330, flex: 'none', borderRight: '1px solid var(--line)', overflow: 'auto' }}>
          <EditorOutline
            definition={definition}
            material={material}
            faults={faults}
            chosen={outer?.id ?? null}
            onChoose={choose}
            onRemove={why === undefined ? remove : undefined}
          />
        </div>
        <div style={{ flex: 1, minWidth: 0, display: 'flex' }}>
          <Tabs
            label="About this flow"
            selected={values.tab ?? (outer ? 'step' : 'flow')}
            onSelect={(tab) => setAddress({ tab }, 'replace')}
            tabs={[
              {
                id: 'step',
                title: 'Step',
                content: outer ? (
                  <div inert={why !== undefined} style={{ overflow: 'auto' }}>
                    <StepForm
                      key={outer.id}
                      step={outer}
                      definition={definition}
                      material={material}
                      faults={faults}
                      isInside={chosen === null}
                      onChange={(next, what) =>
                        define(
                          changeStep(definition, outer.id, () => next),
                          `${outer.id} ${what}`,
                        )
                      }
                      onDefine={define}
                      onRename={choose}
                      onRemove={() => remove(outer.id)}
                    />
                  </div>
                ) : (
                  <Mute style={{ padding: 14 }}>Choose a step in the picture or the list, or add one.</Mute>
                ),
              },
              {
                id: 'flow',
                title: 'The flow',
                content: (
                  <div inert={why !== undefined} style={{ overflow: 'auto' }}>
                    <FlowForm content={content} change={change} faultOf={faultOf} />
                  </div>
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
                    definition={definition}
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

const nameOf = ({ definition, path }: { definition: { title?: string | undefined }; path: string }): string =>
  definition.title ?? path

export function contentOf({ title, notes, areaId, active, definition }: FlowFull): FlowContent {
  return { title, notes, areaId, active, definition }
}
