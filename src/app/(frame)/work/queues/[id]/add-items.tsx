'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import { PRIORITIES } from '@/core/dispatch/types'
import type { QueueFull } from '@/service/queues/queues'
import { api } from '@/ui/api'
import { useSay } from '@/ui/frame/announcer'
import { useTrouble } from '@/ui/hooks/saving'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { TextField } from '@/ui/parts/fields'
import { Row, Stack, Trouble } from '@/ui/parts/layout'
import { Select } from '@/ui/parts/select'
import { useItemData } from './item-data'

/** Puts one item into the queue by hand. */
export function AddItem({ queue, onClose }: { queue: QueueFull; onClose: () => void }): ReactNode {
  const client = useQueryClient()
  const say = useSay()
  const [key, setKey] = useState('')
  const [priority, setPriority] = useState('normal')
  const { trouble, setTrouble, faultOf } = useTrouble()
  const at = (name: string): string | undefined => faultOf(`items[0].${name}`)
  const written = useItemData(queue.schema, {}, at)
  const submit = (): void => {
    const given = written.read()
    if (!given) return
    api
      .post<{ items: number[] }>(`/queues/${queue.id}/items`, { items: [{ key: key || null, ...given, priority }] })
      .then(({ items }) => {
        for (const kind of ['items', 'queues']) void client.invalidateQueries({ queryKey: [kind] })
        say(`Item ${items[0]} waits in ${queue.title}.`)
        onClose()
      }, setTrouble)
  }
  return (
    <Dialog title={`Add an item to ${queue.title}`} isOpen onClose={onClose} width={460}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          submit()
        }}
      >
        <Stack $gap={10}>
          <Trouble error={trouble?.errors.length === 0 ? trouble : null} />
          <Row $top $gap={12}>
            <TextField label="Key" value={key} onChange={setKey} error={at('key')} mono autoFocus width="270px" />
            <Select
              label="Priority"
              value={priority}
              onChange={setPriority}
              choices={PRIORITIES.map((id) => ({ id, title: id }))}
              width="130px"
            />
          </Row>
          {written.input}
          {written.isForm && at('data') && <Trouble error={{ detail: at('data') }} />}
          <DialogButtons onClose={onClose}>Add it</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
