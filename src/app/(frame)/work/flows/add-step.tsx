'use client'
import { memo, useLayoutEffect, useRef, useState, type ReactNode } from 'react'
import type { Place } from '@/core/flow/edit'
import type { FlowMaterial } from '@/service/work/flows'
import { WORK_TYPE } from '@/app/shared/flow/use-drags'
import { Beside } from '@/ui/parts/dialog'
import { Select } from '@/ui/parts/select'
import { TextField } from '@/ui/parts/fields'
import { Mute, Row, Small } from '@/ui/parts/layout'
import { Table } from '@/ui/parts/table'

type How = 'after' | 'before' | 'beside' | 'alone'

export interface Adding {
  readonly material: FlowMaterial
  readonly chosen: string | null
  /** What the step runs: `job` or `flow` and its name. */
  readonly onAdd: (work: string, place: Place) => void
}

/** A new step: which job or flow it runs, and where it stands. */
export const AddStep = memo(function AddStep({
  material,
  chosen,
  onClose,
  onAdd,
}: Adding & { onClose: () => void }): ReactNode {
  const [text, setText] = useState('')
  const [how, setHow] = useState<How>('after')
  const form = useRef<HTMLFormElement>(null)
  // Whenever it is shown.
  useLayoutEffect(() => form.current?.querySelector('input')?.focus(), [])
  const close = (): void => {
    setText('')
    setHow('after')
    onClose()
  }
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
  const add = ({ id }: (typeof all)[number]): void => {
    onAdd(id, where === 'alone' || chosen === null ? { how: 'alone' } : { how: where, step: chosen })
    close()
  }
  const first = text.trim() === '' ? undefined : shown[0]
  return (
    <Beside
      title="Add a step"
      hint="Enter adds the first that is found, the arrow down leads to the others. Or drag one into the picture."
      onClose={close}
    >
      <form
        ref={form}
        onSubmit={(event) => {
          event.preventDefault()
          if (first) add(first)
        }}
        onKeyDown={(event) => {
          if (event.key !== 'ArrowDown' || !(event.target instanceof HTMLInputElement)) return
          event.preventDefault()
          event.currentTarget.nextElementSibling?.querySelector<HTMLElement>('tr[tabindex]')?.focus()
        }}
      >
        <Row $top>
          <TextField label="Find a job or flow" type="search" value={text} onChange={setText} width="280px" />
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
      </form>
      {all.length === 0 ? (
        <Mute>There is no job yet. Write one first: Work, New job.</Mute>
      ) : (
        <div style={{ flex: 1, minHeight: 120, display: 'flex', flexDirection: 'column' }}>
          <Table
            label="What the step runs"
            rows={shown}
            onOpen={add}
            mostDrawn={30}
            onDragStart={({ id }, transfer) => {
              transfer.setData(WORK_TYPE, id)
              transfer.effectAllowed = 'copy'
            }}
            columns={[
              { id: 'title', title: 'Runs', cell: (each) => <b>{each.title}</b> },
              { id: 'kind', title: '', cell: (each) => each.kind },
              { id: 'area', title: 'Area', cell: (each) => <Small>{each.area}</Small> },
              { id: 'active', title: '', cell: (each) => (each.active ? '' : 'off') },
            ]}
          />
        </div>
      )}
    </Beside>
  )
})
