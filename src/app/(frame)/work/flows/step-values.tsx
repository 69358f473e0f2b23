'use client'
import { memo, type ReactNode } from 'react'
import type { FlowStep } from '@/core/work/flow'
import { defaultWords, type Input } from '@/core/work/inputs'
import { TextField } from '@/ui/parts/fields'
import { Part, Sentence } from '@/ui/parts/sentence'
import type { FaultOf, SetStep } from './step-fields'

/** What a step hands to the job or flow that it runs. */
export const StepValues = memo(function StepValues({
  inputs,
  given,
  flowInput,
  faultOf,
  onSet,
}: {
  inputs: readonly Input[]
  given: FlowStep['with']
  /** An input of the flow itself, by name, to show how one is handed on. */
  flowInput: string | undefined
  faultOf: FaultOf
  onSet: SetStep
}): ReactNode {
  return (
    <Part aria-label="Values">
      <h2>With</h2>
      <Sentence>
        {inputs.map((input) => (
          <TextField
            key={input.name}
            label={input.title || input.name}
            value={given?.[input.name] === undefined ? '' : String(given[input.name])}
            placeholder={defaultWords(input.default)}
            onChange={(value) => {
              const { [input.name]: _, ...rest } = given ?? {}
              const next = value === '' ? rest : { ...rest, [input.name]: value }
              onSet({ with: Object.keys(next).length > 0 ? next : undefined }, 'with')
            }}
            error={faultOf(`with.${input.name}`)}
            hint={
              flowInput !== undefined && input === inputs[0] ? `\${${flowInput}} is an input of the flow` : undefined
            }
            width="200px"
          />
        ))}
      </Sentence>
    </Part>
  )
})
