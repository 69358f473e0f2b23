'use client'
import type { ReactNode } from 'react'
import type { JobDrift } from '@/core/stats/drift'
import { driftWords } from './drifts'

/** That something has become slower or quicker; nothing where it has not. */
export function DriftMark({ drift, inWords = false }: { drift: JobDrift | undefined; inWords?: boolean }): ReactNode {
  if (!drift) return null
  const words = `${drift.change > 0 ? 'slower' : 'quicker'}: ${driftWords(drift)}`
  return (
    <span title={words} style={{ marginRight: 5, ...(drift.change > 0 ? { color: 'var(--late)' } : {}) }}>
      <span aria-hidden="true">{drift.change > 0 ? '↗' : '↘'}</span>
      {inWords ? ` It has become ${words}.` : <span className="visually-hidden">{words}</span>}
    </span>
  )
}
