'use client'
import type { ReactNode } from 'react'
import { useState } from 'react'
import type { ApiProblem } from '@/ui/api'
import { count } from '@/ui/format'
import { Button } from '@/ui/parts/button'
import { Dialog } from '@/ui/parts/dialog'
import { FileButton } from '@/ui/parts/file-button'
import { Row, Small, Spring, Stack, Trouble } from '@/ui/parts/layout'

/** Rows of a file are looked at first, with nothing done, and then taken all at once. */
export function RowsFileDialog<L>({
  title,
  width,
  help,
  accept,
  look,
  countsOf,
  rows,
  take,
  verb,
  one,
  onClose,
}: {
  title: string
  width: number
  /** How the file is written. */
  help: ReactNode
  accept: readonly string[]
  /** Says what would come of it. */
  look: (text: string, name: string) => Promise<L>
  countsOf: (looked: L) => { readonly rows: number; readonly bad: number }
  /** What is shown of its rows. */
  rows: (looked: L) => ReactNode
  /** Does it, and says so. */
  take: (text: string, name: string) => Promise<void>
  /** What the button does with them, and what one of them is called. */
  verb: string
  one: string
  onClose: () => void
}): ReactNode {
  const [file, setFile] = useState<{ name: string; text: string; looked: L } | null>(null)
  const [trouble, setTrouble] = useState<ApiProblem | null>(null)
  const choose = (text: string, name: string): void => {
    setTrouble(null)
    setFile(null)
    look(text, name).then((looked) => setFile({ name, text, looked }), setTrouble)
  }
  const counts = file && countsOf(file.looked)
  return (
    <Dialog title={title} isOpen onClose={onClose} width={width}>
      <Stack $gap={12}>
        {help}
        <Trouble error={trouble} />
        {file && counts && (
          <>
            <Small>
              {file.name}: {count(counts.rows, 'row')},{' '}
              {counts.bad === 0 ? 'all of them right' : `${counts.bad} not right`}
            </Small>
            {rows(file.looked)}
          </>
        )}
        <Row>
          <FileButton accept={[...accept]} onText={choose}>
            {file ? 'Another file …' : 'Choose a file …'}
          </FileButton>
          <Spring />
          <Button onPress={onClose}>Cancel</Button>
          <Button
            kind="strong"
            onPress={() => file && take(file.text, file.name).then(onClose, setTrouble)}
            whyNot={!counts ? 'Choose a file first.' : counts.bad > 0 ? 'Some rows are not right.' : undefined}
          >
            {verb} {counts ? count(counts.rows, one) : 'them'}
          </Button>
        </Row>
      </Stack>
    </Dialog>
  )
}
