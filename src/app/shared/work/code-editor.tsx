'use client'
import { javascript } from '@codemirror/lang-javascript'
import { python } from '@codemirror/lang-python'
import { defaultHighlightStyle, StreamLanguage, syntaxHighlighting } from '@codemirror/language'
import { shell } from '@codemirror/legacy-modes/mode/shell'
import CodeMirror, { EditorView } from '@uiw/react-codemirror'
import { useMemo, type ReactNode } from 'react'
import type { Interpreter } from '@/core/work/job'
import { Small, Stack } from '@/ui/parts/layout'

const look = EditorView.theme({
  '&': {
    backgroundColor: 'var(--paper)',
    color: 'var(--ink)',
    fontSize: '12px',
    border: '1px solid var(--line-strong)',
    borderRadius: '3px',
  },
  '.cm-content': { fontFamily: "'JetBrains Mono Variable', monospace", caretColor: 'var(--ink)' },
  '.cm-gutters': { backgroundColor: 'var(--shelf)', color: 'var(--mute)', border: 'none' },
  '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'transparent' },
  '&.cm-focused': { outline: '2px solid var(--brass)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
})

const languages = {
  sh: () => StreamLanguage.define(shell),
  bash: () => StreamLanguage.define(shell),
  node: () => javascript(),
  python3: () => python(),
}

export interface CodeProps {
  readonly label: string
  readonly value: string
  readonly onChange: (value: string) => void
  readonly language: Interpreter
  readonly error?: string | undefined
  readonly minHeight?: string
}

/** An editor for scripts. Tab moves on, as everywhere; Escape then Tab is never needed. */
export function CodeEditor({ label, value, onChange, language, error, minHeight = '160px' }: CodeProps): ReactNode {
  const nonce =
    typeof document === 'undefined'
      ? ''
      : (document.querySelector<HTMLMetaElement>('meta[property="csp-nonce"]')?.nonce ?? '')
  const extensions = useMemo(
    () => [
      languages[language](),
      look,
      syntaxHighlighting(defaultHighlightStyle),
      EditorView.cspNonce.of(nonce),
      EditorView.contentAttributes.of({ 'aria-label': label }),
      EditorView.lineWrapping,
    ],
    [language, nonce, label],
  )
  return (
    <Stack $gap={3}>
      <CodeMirror
        value={value}
        onChange={onChange}
        extensions={extensions}
        minHeight={minHeight}
        maxHeight="420px"
        indentWithTab={false}
        theme="none"
        basicSetup={{ highlightActiveLine: false, foldGutter: false, syntaxHighlighting: false }}
      />
      {error && <Small style={{ color: 'var(--failed)' }}>{error}</Small>}
    </Stack>
  )
}
