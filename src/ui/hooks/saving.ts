'use client'
import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import type { ApiProblem } from '../api'
import { useSay } from '../frame/announcer'

/** What is saved by one button: what the server found wrong with it, by field, and how it is sent. */
export function useSaving(): {
  trouble: ApiProblem | null
  faultOf: (path: string) => string | undefined
  /** Once it is saved, `words` are said, and what is known under these keys is asked for again. */
  save: (sent: Promise<unknown>, words: string, ...keys: readonly string[]) => void
} {
  const client = useQueryClient()
  const say = useSay()
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  return {
    trouble,
    faultOf: (path) => trouble?.errors.find((fault) => fault.path === path)?.message,
    save: (sent, words, ...keys) => {
      sent.then(() => {
        setTrouble(null)
        for (const key of keys) void client.invalidateQueries({ queryKey: [key] })
        say(words)
      }, setTrouble)
    },
  }
}
