'use client'
import { usePathname } from 'next/navigation'
import { useEffect, useState } from 'react'
import { z } from 'zod'
import { useMe } from './me'

const MOST = 12
const entrySchema = z.object({ href: z.string(), title: z.string(), what: z.string(), at: z.number() })
/** A thing that was opened: where it is, what it is called, what it is, when (milliseconds since the epoch). */
export type Opened = z.output<typeof entrySchema>

const keyOf = (personId: number): string => `bugle-opened-${personId}`

/** What is kept is this browser's own; what cannot be read, or kept, is none. */
function read(personId: number): Opened[] {
  try {
    return z.array(entrySchema).parse(JSON.parse(window.localStorage.getItem(keyOf(personId)) ?? '[]'))
  } catch {
    return []
  }
}

/** Remembers that the thing of this page was opened; `title` undefined: it is not saved as it stands. */
export function useNoteOpened(what: string, title: string | undefined): void {
  const { id } = useMe()
  const href = usePathname()
  useEffect(() => {
    if (title === undefined || title === '') return
    const others = read(id).filter((entry) => entry.href !== href)
    try {
      window.localStorage.setItem(
        keyOf(id),
        JSON.stringify([{ href, title, what, at: Date.now() }, ...others].slice(0, MOST)),
      )
    } catch {
      // No room, or not allowed: nothing is remembered.
    }
  }, [id, href, what, title])
}

/** What this person opened last in this browser, the newest first. */
export function useOpened(): readonly Opened[] {
  const { id } = useMe()
  const [opened, setOpened] = useState<readonly Opened[]>([])
  useEffect(() => setOpened(read(id)), [id])
  return opened
}
