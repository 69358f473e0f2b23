'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import type { ApiProblem } from '../api'
import { useSay } from '../frame/announcer'

/** What the server found wrong with what a form sent, and its words by field. */
export function useTrouble(): {
  trouble: ApiProblem | null
  setTrouble: (trouble: ApiProblem | null) => void
  faultOf: (path: string) => string | undefined
  /** The same of all that a field holds: of a list its parts, too. */
  faultWithin: (path: string) => string | undefined
} {
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  const where = (holds: (path: string) => boolean): string | undefined =>
    trouble?.errors.find((fault) => holds(fault.path))?.message
  return {
    trouble,
    setTrouble,
    faultOf: (path) => where((at) => at === path),
    faultWithin: (path) => where((at) => at === path || at.startsWith(`${path}[`) || at.startsWith(`${path}.`)),
  }
}

/** What is saved by one button: what the server found wrong with it, by field, and how it is sent. */
export function useSaving(): {
  trouble: ApiProblem | null
  faultOf: (path: string) => string | undefined
  /** Once it is saved, `words` are said, and what is known under these keys is asked for again. */
  save: (sent: Promise<unknown>, words: string, ...keys: readonly string[]) => void
} {
  const client = useQueryClient()
  const say = useSay()
  const { trouble, setTrouble, faultOf } = useTrouble()
  return {
    trouble,
    faultOf,
    save: (sent, words, ...keys) => {
      sent.then(() => {
        setTrouble(null)
        for (const key of keys) void client.invalidateQueries({ queryKey: [key] })
        say(words)
      }, setTrouble)
    },
  }
}
