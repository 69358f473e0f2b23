'use client'
import { useEffect, useState, type ReactNode } from 'react'
import { api, askIdentityWith, type ApiProblem } from '@/ui/api'
import { Dialog, DialogButtons } from '@/ui/parts/dialog'
import { TextField } from '@/ui/parts/fields'
import { Stack, Trouble } from '@/ui/parts/layout'

/** Asks for the password when something wants to know that it is still the person who signed in; then that goes on by itself. */
export function ConfirmIdentity(): ReactNode {
  const [answer, setAnswer] = useState<((is: boolean) => void) | null>(null)
  const [password, setPassword] = useState('')
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  useEffect(() => askIdentityWith(() => new Promise<boolean>((resolve) => setAnswer(() => resolve))), [])
  const close = (is: boolean): void => {
    answer?.(is)
    setAnswer(null)
    setPassword('')
    setTrouble(null)
  }
  return (
    <Dialog title="Show that it is you" isOpen={answer !== null} onClose={() => close(false)} width={400}>
      <form
        onSubmit={(event) => {
          event.preventDefault()
          api.post('/me/confirm', { password }).then(() => close(true), setTrouble)
        }}
      >
        <Stack $gap={12}>
          <p>This can change much, and it is a while since you wrote your password.</p>
          <Trouble error={trouble?.errors.length === 0 ? trouble : null} />
          <TextField
            label="Your password"
            type="password"
            value={password}
            onChange={setPassword}
            error={trouble?.errors[0]?.message}
            autoComplete="current-password"
            autoFocus
          />
          <DialogButtons onClose={() => close(false)}>Go on</DialogButtons>
        </Stack>
      </form>
    </Dialog>
  )
}
