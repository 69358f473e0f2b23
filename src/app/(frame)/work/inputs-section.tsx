'use client'
import type { ReactNode } from 'react'
import { INPUT_TYPES, type Input, type InputType } from '@/core/work/inputs'
import { Button } from '@/ui/parts/button'
import { Checkbox, Select, TextField } from '@/ui/parts/fields'
import { Row, Small, Stack } from '@/ui/parts/layout'
import { Part, Sentence } from '@/ui/parts/sentence'

interface Props {
  readonly definition: { readonly inputs: readonly Input[] }
  readonly define: (change: { inputs: Input[] }) => void
  readonly faultOf: (path: string) => string | undefined
}

/** What a job or flow asks for at its start. */
export function InputsSection({ definition, define, faultOf }: Props): ReactNode {
  const change = (index: number, part: Partial<Input>): void =>
    define({ inputs: definition.inputs.map((input, i) => (i === index ? { ...input, ...part } : input)) })
  return (
    <Part aria-label="Inputs">
      <h2>Asks for</h2>
      <Stack>
        {definition.inputs.map((input, i) => {
          const fault = (key: string): string | undefined => faultOf(`definition.inputs[${i}].${key}`)
          return (
            <Sentence key={i}>
              <TextField
                label="name"
                value={input.name}
                onChange={(name) => change(i, { name })}
                error={fault('name')}
                mono
                width="130px"
              />
              <TextField
                label="shown as"
                value={input.title}
                onChange={(title) => change(i, { title })}
                error={fault('title')}
                width="150px"
              />
              <Select
                label="a"
                value={input.type}
                onChange={(type) =>
                  change(i, { type: type as InputType, default: type === 'secret' ? null : input.default })
                }
                choices={INPUT_TYPES.map((t) => ({ id: t, title: t }))}
                width="105px"
              />
              {input.type === 'choice' && (
                <TextField
                  label="of (comma between)"
                  value={input.options.join(', ')}
                  onChange={(text) =>
                    change(i, {
                      options: text
                        .split(',')
                        .map((o) => o.trim())
                        .filter(Boolean),
                    })
                  }
                  error={fault('options')}
                  width="180px"
                />
              )}
              {input.type !== 'secret' && (
                <TextField
                  label="default"
                  value={input.default ?? ''}
                  onChange={(value) => change(i, { default: value === '' ? null : value })}
                  error={fault('default')}
                  width="130px"
                />
              )}
              <div style={{ paddingTop: 21 }}>
                <Checkbox isSelected={input.ask} onChange={(ask) => change(i, { ask })}>
                  ask at start
                </Checkbox>
                {fault('ask') && <Small style={{ color: 'var(--failed)', display: 'block' }}>{fault('ask')}</Small>}
              </div>
              <div style={{ paddingTop: 20 }}>
                <Button
                  kind="quiet"
                  aria-label={`Take away input ${input.name}`}
                  onPress={() => define({ inputs: definition.inputs.filter((_, k) => k !== i) })}
                >
                  ×
                </Button>
              </div>
            </Sentence>
          )
        })}
        <Row>
          <Button
            onPress={() =>
              define({
                inputs: [
                  ...definition.inputs,
                  {
                    name: `input${definition.inputs.length + 1}`,
                    title: '',
                    type: 'text',
                    options: [],
                    default: null,
                    ask: true,
                  },
                ],
              })
            }
          >
            Add an input
          </Button>
          {definition.inputs.length === 0 && <Small>Nothing: it starts without a question.</Small>}
        </Row>
      </Stack>
    </Part>
  )
}
