'use client'
import { useEffect, useMemo, useState } from 'react'
import type { z } from 'zod'
import { faultsFrom } from '@/core/schema/faults'
import type { ApiProblem } from '../api'

/** Something that is being written: what it is now, what of it is saved, and what is wrong with it. */
export interface Draft<C> {
  readonly content: C
  readonly set: (change: Partial<C>) => void
  readonly isChanged: boolean
  /** The version that the changes are made to; 0: it was never saved. */
  readonly version: number
  /** Somebody tried to save it as it is. */
  readonly tried: boolean
  readonly faults: ReadonlyMap<string, string>
  /** What to show at a field: what the server said, or what is wrong once the field was touched or a save was tried. */
  readonly faultOf: (path: string) => string | undefined
  readonly trouble: ApiProblem | null
  readonly setTrouble: (trouble: ApiProblem | null) => void
  /** Sends what is written, unless something is wrong with it. The promise gives the new version. */
  readonly save: (send: (content: C) => Promise<number>) => void
  /** Takes this as what is saved, and goes on from it. */
  readonly become: (content: C, version: number) => void
}

export function useDraft<C>(
  schema: z.ZodType,
  initial: C,
  initialVersion: number,
  onSaved?: (content: C) => void,
): Draft<C> {
  const [content, setContent] = useState(initial)
  const [saved, setSaved] = useState({ content: initial, version: initialVersion })
  const [tried, setTried] = useState(false)
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  const isChanged = useMemo(() => JSON.stringify(content) !== JSON.stringify(saved.content), [content, saved])
  useLeaveWarning(isChanged)
  const faults = useMemo(() => faultsOf(schema, content), [schema, content])
  const server = new Map(trouble?.errors.map((fault) => [fault.path, fault.message]))
  return {
    content,
    set: (change) => {
      setTrouble(null)
      setContent((before) => ({ ...before, ...change }))
    },
    isChanged,
    version: saved.version,
    tried,
    faults,
    faultOf: (path) => server.get(path) ?? (tried || isTouched(path, content, initial) ? faults.get(path) : undefined),
    trouble,
    setTrouble,
    save: (send) => {
      setTried(true)
      setTrouble(null)
      if (faults.size > 0) return
      send(content).then((version) => {
        setSaved({ content, version })
        setTried(false)
        onSaved?.(content)
      }, setTrouble)
    },
    become: (next, version) => {
      setContent(next)
      setSaved({ content: next, version })
      setTrouble(null)
    },
  }
}

/** What is wrong, by path. */
export function faultsOf(schema: z.ZodType, content: unknown): Map<string, string> {
  const parsed = schema.safeParse(content)
  const faults = new Map<string, string>()
  if (parsed.success) return faults
  for (const { path, message } of faultsFrom(parsed.error, content)) if (!faults.has(path)) faults.set(path, message)
  return faults
}

/** Faults of fields that are still as they were in the beginning are not shown before the first try to save. */
function isTouched(path: string, now: unknown, initial: unknown): boolean {
  const at = (root: unknown): unknown =>
    path
      .split(/[.[\]]+/)
      .filter(Boolean)
      .reduce<unknown>((value, key) => (value as Record<string, unknown> | undefined)?.[key], root)
  return JSON.stringify(at(now)) !== JSON.stringify(at(initial))
}

/** Closing the page, or following a link of ours, asks first while something is not saved. */
function useLeaveWarning(isChanged: boolean): void {
  useEffect(() => {
    if (!isChanged) return
    const onUnload = (event: BeforeUnloadEvent): void => event.preventDefault()
    const onClick = (event: MouseEvent): void => {
      const link = (event.target as Element).closest('a[href]')
      if (!link || link.getAttribute('target') === '_blank' || link.hasAttribute('download') || event.defaultPrevented)
        return
      if (!window.confirm('Your changes are not saved. Leave them?')) {
        event.preventDefault()
        event.stopPropagation()
      }
    }
    window.addEventListener('beforeunload', onUnload)
    document.addEventListener('click', onClick, true)
    return () => {
      window.removeEventListener('beforeunload', onUnload)
      document.removeEventListener('click', onClick, true)
    }
  }, [isChanged])
}
