'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useState, type FormEvent, type ReactNode } from 'react'
import { api } from '@/ui/api'
import { useMay } from '@/ui/hooks/me'
import { useTrouble } from '@/ui/hooks/saving'
import { Button } from '@/ui/parts/button'
import { TextField } from '@/ui/parts/fields'
import { Row, Stack, Trouble } from '@/ui/parts/layout'

/** A word to whoever reads the log. What was typed stays until it is kept. */
export function AddNote(): ReactNode {
  const { why } = useMay('operate')
  const client = useQueryClient()
  const [text, setText] = useState('')
  const { trouble, setTrouble } = useTrouble()
  if (why !== undefined) return null
  const add = (event: FormEvent): void => {
    event.preventDefault()
    api.post('/shift-log/notes', { text }).then(() => {
      setText('')
      setTrouble(null)
      void client.invalidateQueries({ queryKey: ['matters', 'log'] })
    }, setTrouble)
  }
  return (
    <form onSubmit={add} data-noprint>
      <Stack $gap={8}>
        <TextField label="A note for whoever comes next" value={text} onChange={setText} rows={2} />
        <Trouble error={trouble} />
        <Row>
          <Button type="submit" whyNot={text.trim() === '' ? 'Write it first.' : undefined}>
            Add the note
          </Button>
        </Row>
      </Stack>
    </form>
  )
}
