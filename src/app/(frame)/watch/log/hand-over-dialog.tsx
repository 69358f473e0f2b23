'use client'
import { useState, type FormEvent, type ReactNode } from 'react'
import { api } from '@/ui/api'
import { useSaving } from '@/ui/hooks/saving'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { TextField } from '@/ui/parts/fields'
import { Stack, Trouble } from '@/ui/parts/layout'

/** Who takes over, and what they should know. */
export function HandOverDialog({
  fromMs,
  toMs,
  onClose,
}: {
  fromMs: number
  toMs: number
  onClose: () => void
}): ReactNode {
  const [toName, setToName] = useState('')
  const [note, setNote] = useState('')
  const { trouble, faultOf, save } = useSaving()
  const send = (event: FormEvent): void => {
    event.preventDefault()
    const until = Math.min(toMs, Date.now())
    const body = { from: new Date(fromMs).toISOString(), to: new Date(until).toISOString(), toName, note }
    save(api.post('/shift-log/hand-over', body).then(onClose), `Handed over to ${toName}.`, 'matters')
  }
  return (
    <Dialog title="Hand over" isOpen onClose={onClose}>
      <p>It stands on top of the log: who, to whom, when, and what they should know.</p>
      <form onSubmit={send}>
        <Stack $gap={12}>
          <TextField label="To" value={toName} onChange={setToName} error={faultOf('toName')} autoFocus />
          <TextField
            label="What they should know (optional)"
            value={note}
            onChange={setNote}
            error={faultOf('note')}
            rows={4}
          />
          <Trouble error={trouble} />
          <DialogButtons onClose={onClose}>Hand over</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
