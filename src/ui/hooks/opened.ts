'use client'
import { usePathname } from 'next/navigation'
import { useEffect, useState } from 'react'
import { z } from 'zod'
import { useMe, useOrganisation } from './me'

const MOST = 12
const entrySchema = z.object({ href: z.string(), title: z.string(), what: z.string(), at: z.number() })
/** A thing that was opened: where it is, what it is called, what it is, when (milliseconds since the epoch). */
export type Opened = z.output<typeof entrySchema>

/** Numbers of people are of one organisation. */
function useKey(): string {
  const { id } = useMe()
  const organisation = useOrganisation()
  return organisation === undefined || organisation.id === 1
    ? `bugle-opened-${id}`
    : `bugle-opened-${organisation.id}-${id}`
}

/** What is kept is this browser's own; what cannot be read, or kept, is none. */
function read(key: string): Opened[] {
  try {
    return z.array(entrySchema).parse(JSON.parse(window.localStorage.getItem(key) ?? '[]'))
  } catch {
    return []
  }
}

/** Remembers that the thing of this page was opened; `title` undefined: it is not saved as it stands. */
export function useNoteOpened(what: string, title: string | undefined): void {
  const key = useKey()
  const href = usePathname()
  useEffect(() => {
    if (title === undefined || title === '') return
    const others = read(key).filter((entry) => entry.href !== href)
    try {
      window.localStorage.setItem(
        key,
        JSON.stringify([{ href, title, what, at: Date.now() }, ...others].slice(0, MOST)),
      )
    } catch {
      // No room, or not allowed: nothing is remembered.
    }
  }, [key, href, what, title])
}

/** What this person opened last in this browser, the newest first. */
export function useOpened(): readonly Opened[] {
  const key = useKey()
  const [opened, setOpened] = useState<readonly Opened[]>([])
  useEffect(() => setOpened(read(key)), [key])
  return opened
}
