'use client'
import type { ReactNode } from 'react'
import { useSay } from '@/ui/frame/announcer'
import { Button } from '@/ui/parts/button'
import { Mono, Row, Small, Stack } from '@/ui/parts/layout'

/** What can be read this once: a token, an address that lets somebody in. */
export function ShownOnce({ text, children }: { readonly text: string; readonly children?: ReactNode }): ReactNode {
  const say = useSay()
  return (
    <Stack role="status" $gap={4}>
      <Small>{children ?? 'Shown only now. Copy it to where it is needed.'}</Small>
      <Row>
        <Mono style={{ overflowWrap: 'anywhere' }}>{text}</Mono>
        <Button
          onPress={() =>
            void navigator.clipboard.writeText(text).then(
              () => say('Copied.'),
              () => undefined,
            )
          }
        >
          Copy
        </Button>
      </Row>
    </Stack>
  )
}
