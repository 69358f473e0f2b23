'use client'
import type { ReactNode } from 'react'
import styled from 'styled-components'
import { Button } from '@/ui/parts/button'
import { Mono, Row, Stack } from '@/ui/parts/layout'

const Codes = styled.ol`
  columns: 2;
  margin: 0;
  padding-left: 22px;
`

/** Codes on paper, shown once. */
export function RecoveryCodes({
  codes,
  onDone,
}: {
  readonly codes: readonly string[]
  readonly onDone: () => void
}): ReactNode {
  return (
    <Stack $gap={12} role="status">
      <p>
        Keep these somewhere else, on paper: each lets you in once, should you lose the rest. They are shown only now.
      </p>
      <Codes>
        {codes.map((code) => (
          <li key={code}>
            <Mono>{code}</Mono>
          </li>
        ))}
      </Codes>
      <Row>
        <Button onPress={() => void navigator.clipboard.writeText(codes.join('\n')).catch(() => undefined)}>
          Copy
        </Button>
        <Button onPress={() => window.print()}>Print</Button>
        <Button kind="strong" onPress={onDone}>
          I have kept them
        </Button>
      </Row>
    </Stack>
  )
}
