'use client'
import { useState, type ReactNode } from 'react'
import { addStep, freeStepId } from '@/core/flow/edit'
import type { FlowDefinition } from '@/core/work/flow'
import type { FlowMaterial } from '@/service/flows'
import { Dialog } from '@/ui/parts/dialog'
import { Select, TextField } from '@/ui/parts/fields'
import { Mute, Row, Small, Stack } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'

type How = 'after' | 'before' | 'beside' | 'alone'

/** A new step: which job or flow it runs, and where it stands. */
export function AddStep({
  definition,
  material,
  chosen,
  isOpen,
  onClose,
  onAdd,
}: {
  definition: FlowDefinition
  material: FlowMaterial
  chosen: string | null
  isOpen: boolean
  onClose: () => void
  onAdd: (next: FlowDefinition, id: string) => void
}): ReactNode {
  const [text, setText] = useState('')
  const [how, setHow] = useState<How>('after')
  const where: How = chosen === null ? 'alone' : how
  const all = [
    ...material.jobs.map(({ slug, title, area, active }) => ({
      id: `job ${slug}`,
      kind: 'job' as const,
      slug,
      title,
      area,
      active,
    })),
    ...material.flows.map(({ slug, title, area, active }) => ({
      id: `flow ${slug}`,
      kind: 'flow' as const,
      slug,
      title,
      area,
      active,
    })),
  ]
  const shown = all.filter((each) =>
    `${each.title} ${each.area} ${each.slug}`.toLowerCase().includes(text.trim().toLowerCase()),
  )
  const add = (work: (typeof all)[number]): void => {
    const id = freeStepId(definition, work.slug)
    const place = where === 'alone' || chosen === null ? ({ how: 'alone' } as const) : { how: where, step: chosen }
    onAdd(addStep(definition, work.kind === 'job' ? { job: work.slug } : { flow: work.slug }, id, place), id)
    onClose()
    setText('')
  }
  return (
    <Dialog title="Add a step" isOpen={isOpen} onClose={onClose} width={620}>
      <Stack $gap={10}>
        <Row $top>
          <TextField label="Find a job or flow" type="search" value={text} onChange={setText} autoFocus width="280px" />
          {chosen !== null && (
            <Select
              label="It comes"
              value={how}
              onChange={(next) => setHow(next as How)}
              choices={[
                { id: 'after', title: `after ${chosen}` },
                { id: 'before', title: `before ${chosen}` },
                { id: 'beside', title: `beside ${chosen}` },
                { id: 'alone', title: 'on its own, at the beginning' },
              ]}
              width="260px"
            />
          )}
        </Row>
        {all.length === 0 ? (
          <Mute>There is no job yet. Write one first: Work, New job.</Mute>
        ) : (
          <div style={{ maxHeight: 330, display: 'flex' }}>
            <Table
              label="What the step runs"
              rows={shown}
              onOpen={add}
              columns={[
                { id: 'title', title: 'Runs', cell: (each) => <b>{each.title}</b> },
                { id: 'kind', title: '', cell: (each) => each.kind },
                { id: 'area', title: 'Area', cell: (each) => <Small>{each.area}</Small> },
                { id: 'active', title: '', cell: (each) => (each.active ? '' : 'off') },
              ]}
            />
          </div>
        )}
        <Small>Enter or a click adds it.</Small>
      </Stack>
    </Dialog>
  )
}
