'use client'
import type { ReactNode } from 'react'
import type { Draft } from '../hooks/draft'
import { useMe } from '../hooks/me'
import { useNoteOpened } from '../hooks/opened'
import { Button } from './button'
import { Crumb } from './crumb'
import { Row, Small, Spring } from './layout'

/** Above everything that is edited on a page of its own: where it belongs, what it is, who saved it, how it stands, and saving. */
export function EditorHead<C extends { readonly title: string }>({
  href,
  back,
  what,
  saved,
  draft,
  faultCount = draft.faults.size,
  tools,
  children,
  isSavable = draft.isChanged,
  saveWord = 'Save',
  onSave,
  why,
}: {
  href: string
  back: string
  /** `New job` is what it is called until it is saved. */
  what: string
  /** What is stored; null: it is new. */
  saved: { readonly version: number; readonly savedBy: string } | null
  draft: Draft<C>
  faultCount?: number
  tools?: ReactNode
  children?: ReactNode
  isSavable?: boolean
  saveWord?: string
  onSave: () => void
  why: string | undefined
}): ReactNode {
  const me = useMe()
  useNoteOpened(what, saved && !draft.isChanged ? draft.content.title : undefined)
  return (
    <Row>
      <Crumb href={href}>{back}</Crumb>
      <h1>{saved ? draft.content.title || 'Untitled' : `New ${what}`}</h1>
      {saved && (
        <Small>
          version {draft.version}, saved by{' '}
          {draft.version !== saved.version || saved.savedBy === me.name ? 'you' : saved.savedBy}
        </Small>
      )}
      {draft.isChanged && <Small>· not saved yet</Small>}
      <Spring />
      {tools}
      {draft.tried && faultCount > 0 && (
        <Small style={{ color: 'var(--failed)' }}>
          {faultCount === 1 ? 'One thing is not right yet.' : `${faultCount} things are not right yet.`}
        </Small>
      )}
      {children}
      <Button kind="strong" onPress={onSave} isDisabled={!isSavable} whyNot={why}>
        {saveWord}
      </Button>
    </Row>
  )
}
