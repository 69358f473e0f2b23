'use client'
import type { ReactNode } from 'react'
import type { Draft } from '../hooks/draft'
import { BothVersions } from './both-versions'
import { Button } from './button'
import { Panel, Row, Spring, Trouble } from './layout'

/** Above what is written: that it was left unsaved and is back, that somebody else saved it first, or why it could not be saved. */
export function DraftNews<C extends object, S extends C & { readonly version: number; readonly savedBy: string }>({
  draft,
  what,
  contentOf,
  onSave,
  isTroubleAtFields = false,
}: {
  draft: Draft<C>
  what: string
  /** What is written, of what the server keeps. */
  contentOf: (saved: S) => C
  onSave: (version: number) => void
  /** Troubles that name fields are shown there. */
  isTroubleAtFields?: boolean
}): ReactNode {
  const { trouble, content, become, putAway } = draft
  const theirs = trouble?.code === 'conflict' ? (trouble.body.theirs as S) : null
  if (theirs)
    return (
      <BothVersions
        what={what}
        mine={content}
        theirs={contentOf(theirs)}
        version={theirs.version}
        savedBy={theirs.savedBy}
        onKeepMine={() => onSave(theirs.version)}
        onTakeTheirs={() => become(contentOf(theirs), theirs.version)}
      />
    )
  if (trouble) return isTroubleAtFields && trouble.errors.length > 0 ? null : <Trouble error={trouble} />
  return (
    putAway && (
      <Panel role="status" style={{ padding: '8px 14px', borderLeft: '4px solid var(--late)' }}>
        <Row>
          <span>You left this page before it was saved. What you had written is back.</span>
          <Spring />
          <Button onPress={putAway}>{draft.version === 0 ? 'Begin anew' : 'Go back to what is saved'}</Button>
        </Row>
      </Panel>
    )
  )
}
