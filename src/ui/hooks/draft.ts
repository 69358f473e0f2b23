'use client'
import { usePathname } from 'next/navigation'
import { useDeferredValue, useEffect, useMemo, useRef, useState } from 'react'
import type { z } from 'zod'
import { faultsFrom } from '@/core/schema/faults'
import type { ApiProblem } from '../api'
import { useLatest } from './latest'

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
  /** What was left here unsaved, and is back; null: nothing was, or it is settled. Calling it goes back to what is saved. */
  readonly putAway: (() => void) | null
}

interface Left<C> {
  readonly content: C
  readonly saved: { readonly content: C; readonly version: number }
}
/**
 * What was left unsaved without anybody being asked (by the browser's Back, or written while another page was already
 * on its way), by the path of its page, for as long as this window is open.
 */
const left = new Map<string, Left<unknown>>()

/** As when the window is opened anew. */
export const forgetLeft = (): void => left.clear()

export function useDraft<C>(
  schema: z.ZodType,
  initial: C,
  initialVersion: number,
  onSaved?: (content: C) => void,
): Draft<C> {
  const [path] = useState(usePathname())
  const [back, setBack] = useState(() => leftAt<C>(path, initial, initialVersion))
  const [content, setContent] = useState(back?.content ?? initial)
  const [saved, setSaved] = useState(back?.saved ?? { content: initial, version: initialVersion })
  const [tried, setTried] = useState(false)
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  const savedText = useMemo(() => JSON.stringify(saved.content), [saved])
  const isChanged = useMemo(() => JSON.stringify(content) !== savedText, [content, savedText])
  useKeptWhenLeft(path, isChanged ? { content, saved } : null)
  // A moment after the key that made them: a field never waits for the check of everything.
  const settled = useDeferredValue(content)
  const faults = useMemo(() => faultsOf(schema, settled), [schema, settled])
  const become = (next: C, version: number): void => {
    setContent(next)
    setSaved({ content: next, version })
    setBack(null)
    setTrouble(null)
  }
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
      if (faultsOf(schema, content).size > 0) return
      send(content).then((version) => {
        setSaved({ content, version })
        setBack(null)
        setTried(false)
        onSaved?.(content)
      }, setTrouble)
    },
    become,
    putAway: back && isChanged ? () => become(back.saved.content, back.saved.version) : null,
  }
}

/** What was left at this path, if it is about the same: the same thing that was saved, or one as new as this. */
function leftAt<C>(path: string, initial: C, version: number): Left<C> | null {
  const found = left.get(path)
  if (!found || (version === 0) !== (found.saved.version === 0)) return null
  if (version === 0 && JSON.stringify(found.saved.content) !== JSON.stringify(initial)) return null
  return found as Left<C>
}

/** What is wrong, by path. */
function faultsOf(schema: z.ZodType, content: unknown): Map<string, string> {
  const parsed = schema.safeParse(content)
  const faults = new Map<string, string>()
  if (parsed.success) return faults
  for (const { path, message } of faultsFrom(parsed.error, content)) if (!faults.has(path)) faults.set(path, message)
  return faults
}

/** The first fault of a list, or of names with values, or of one of its parts. */
export function faultIn(
  faultOf: (path: string) => string | undefined,
  path: string,
  parts: readonly unknown[] | Readonly<Record<string, unknown>>,
): string | undefined {
  const inner = Array.isArray(parts) ? parts.map((_, i) => `[${i}]`) : Object.keys(parts).map((key) => `.${key}`)
  return faultOf(path) ?? inner.map((part) => faultOf(path + part)).find((fault) => fault !== undefined)
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

/** Closing the page, or following a link of ours, asks first while something is not saved; left in any other way, it is kept. */
function useKeptWhenLeft(path: string, unsaved: Left<unknown> | null): void {
  const isDropped = useRef(false)
  const keep = useLatest(() => {
    if (unsaved && !isDropped.current) left.set(path, unsaved)
  })
  useEffect(() => {
    left.delete(path)
    return keep
  }, [path, keep])
  useEffect(() => {
    // Whatever is written after the answer was not asked about.
    isDropped.current = false
  }, [unsaved?.content])
  const isChanged = unsaved !== null
  useEffect(() => {
    if (!isChanged) return
    const onUnload = (event: BeforeUnloadEvent): void => event.preventDefault()
    const onClick = (event: MouseEvent): void => {
      const link = (event.target as Element).closest('a[href]')
      if (!link || link.getAttribute('target') === '_blank' || link.hasAttribute('download') || event.defaultPrevented)
        return
      isDropped.current = window.confirm('Your changes are not saved. Leave them?')
      if (!isDropped.current) {
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
