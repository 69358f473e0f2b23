'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useState, type ReactNode } from 'react'
import type { SharedValueRow } from '@/service/work/shared-values'
import { api } from '@/ui/api'
import { useMay } from '@/ui/hooks/me'
import { useTrouble } from '@/ui/hooks/saving'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { Checkbox, TextField } from '@/ui/parts/fields'
import { Small, Stack, Trouble } from '@/ui/parts/layout'

/** A shared value is made or changed; a secret goes in and never comes out. */
export function SharedDialog({
  value,
  isOpen,
  onClose,
}: {
  /** null: a new one. */
  value: SharedValueRow | null
  isOpen: boolean
  onClose: () => void
}): ReactNode {
  const client = useQueryClient()
  const { why } = useMay('administer')
  const [request, setRequest] = useState({
    name: '',
    title: value?.title ?? '',
    isSecret: value?.isSecret ?? false,
    value: value?.value ?? '',
  })
  const { trouble, setTrouble, faultOf } = useTrouble()
  const set = (change: Partial<typeof request>): void => setRequest((before) => ({ ...before, ...change }))
  const save = (): Promise<unknown> => {
    if (!value) return api.post('/shared-values', request)
    // An empty secret means: as it was.
    const fresh = request.isSecret && request.value === '' ? {} : { value: request.value }
    return api.put(`/shared-values/${value.id}`, { title: request.title, ...fresh })
  }
  const hint = !request.isSecret
    ? undefined
    : value
      ? 'Leave it empty to keep the one that is there. A new one counts for runs that are made from now on.'
      : 'Kept encrypted; never shown again. Only inputs that are secrets can take it.'
  return (
    <Dialog
      title={value ? `Shared value ${value.name}` : 'New shared value'}
      isOpen={isOpen}
      onClose={onClose}
      width={460}
    >
      <form
        onSubmit={(event) => {
          event.preventDefault()
          save().then(() => {
            void client.invalidateQueries({ queryKey: ['jobs'] })
            onClose()
          }, setTrouble)
        }}
      >
        <Stack $gap={12}>
          <Trouble error={trouble?.errors.length === 0 ? trouble : null} />
          {!value && (
            <TextField
              label="Name"
              value={request.name}
              onChange={(name) => set({ name })}
              error={faultOf('name')}
              hint="Lower-case letters, digits and hyphens; it stays as it is."
              mono
              autoFocus
            />
          )}
          <TextField
            label="Title"
            value={request.title}
            onChange={(title) => set({ title })}
            error={faultOf('title')}
          />
          {!value && why === undefined && (
            <Checkbox isSelected={request.isSecret} onChange={(isSecret) => set({ isSecret })}>
              a secret
            </Checkbox>
          )}
          <TextField
            label={request.isSecret ? (value ? 'New secret' : 'Secret') : 'Value'}
            type={request.isSecret ? 'password' : 'text'}
            value={request.value}
            onChange={(text) => set({ value: text })}
            error={faultOf('value')}
            hint={hint}
            autoComplete={request.isSecret ? 'new-password' : 'off'}
          />
          {value && value.uses.length > 0 && (
            <Small>
              It is taken by {value.uses.length === 1 ? 'one job or flow' : `${value.uses.length} jobs and flows`}: from
              their next run on they have the new one.
            </Small>
          )}
          <DialogButtons onClose={onClose}>{value ? 'Save' : 'Add'}</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
