'use client'
import { useState, type ReactNode } from 'react'
import styled from 'styled-components'
import { Small, Stack } from '@/ui/parts/layout'
import { useOnDemand } from '@/ui/hooks/on-demand'
import { useReading } from '@/ui/parts/reading'
import type { CodeProps } from './code-editor'

/** As the editor looks, line by line, so that nothing moves when it comes. */
const Plain = styled.textarea`
  width: 100%;
  padding: 4px 6px 4px 34px;
  border: 1px solid var(--line-strong);
  border-radius: 3px;
  background: var(--paper);
  color: var(--ink);
  font:
    12px/16.8px 'JetBrains Mono Variable',
    monospace;
  white-space: pre-wrap;
  overflow-wrap: break-word;
  resize: none;
  &:read-only {
    background: transparent;
  }
`
const LINE = 16.8
const MOST_LINES = 24

/**
 * A script: plain text at first, a real editor once it was reached for. The editor is as large as the rest of the page, and most who come only look. It never comes while somebody writes: no
 * key is lost between the two.
 */
export function CodeField(props: CodeProps): ReactNode {
  const { label, value, onChange, error, minHeight = '160px' } = props
  const isRead = useReading()
  const [Editor, fetchEditor] = useOnDemand(() => import('./code-editor').then((module) => module.CodeEditor))
  const [isWriting, setWriting] = useState(false)
  if (Editor && !isRead && !isWriting) return <Editor {...props} />
  return (
    <Stack $gap={3}>
      <Plain
        data-code="true"
        aria-label={label}
        aria-invalid={error === undefined ? undefined : true}
        readOnly={isRead}
        spellCheck={false}
        value={value}
        onChange={(event) => onChange(event.target.value)}
        onPointerEnter={isRead ? undefined : fetchEditor}
        onFocus={() => {
          setWriting(true)
          if (!isRead) fetchEditor()
        }}
        onBlur={() => setWriting(false)}
        rows={Math.min(MOST_LINES, value.split('\n').length + 1)}
        style={{ minHeight, maxHeight: MOST_LINES * LINE }}
      />
      {error && <Small style={{ color: 'var(--failed)' }}>{error}</Small>}
    </Stack>
  )
}
