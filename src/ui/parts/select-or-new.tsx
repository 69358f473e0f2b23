'use client'
import { useState, type ReactNode } from 'react'
import type { ApiProblem } from '../api'
import { Button } from './button'
import { Select, type Choice } from './select'
import { TextField } from './fields'
import { Row } from './layout'

const NEW = ' new'

/** A choice, or something new that is made on the way: where there is none yet, its name is asked for at once. */
export function SelectOrNew({
  label,
  value,
  onChange,
  choices,
  what,
  add,
  error,
  hideLabel = false,
  width = '180px',
  placeholder,
  whyNot,
}: {
  readonly label: string
  readonly value: string | null
  readonly onChange: (id: string) => void
  readonly choices: readonly Choice[]
  /** What is made: `area`. */
  readonly what: string
  /** Makes it, and gives its id. */
  readonly add: (name: string) => Promise<string>
  readonly error?: string | undefined
  readonly hideLabel?: boolean
  readonly width?: string
  readonly placeholder?: string
  /** Why the person may not make one. */
  readonly whyNot?: string | undefined
}): ReactNode {
  const [isAdding, setAdding] = useState(false)
  const [name, setName] = useState('')
  const [fault, setFault] = useState<string | undefined>(undefined)
  const [isBusy, setBusy] = useState(false)
  const isNew = whyNot === undefined && (isAdding || choices.length === 0)
  const make = (): void => {
    if (name.trim() === '') return setFault(`The ${what} needs a name.`)
    setBusy(true)
    add(name.trim())
      .then(
        (id) => {
          setAdding(false)
          setName('')
          setFault(undefined)
          onChange(id)
        },
        (problem: ApiProblem) => setFault(problem.errors[0]?.message ?? problem.detail),
      )
      .finally(() => setBusy(false))
  }
  if (!isNew)
    return (
      <Select
        label={label}
        hideLabel={hideLabel}
        value={value}
        onChange={(id) => (id === NEW ? setAdding(true) : onChange(id))}
        choices={whyNot === undefined ? [...choices, { id: NEW, title: `new ${what} …` }] : choices}
        error={error}
        width={width}
        {...(placeholder === undefined ? {} : { placeholder })}
      />
    )
  return (
    <div
      onKeyDown={(event) => {
        if (event.key !== 'Enter') return
        // The form around it is not what is being sent.
        event.preventDefault()
        make()
      }}
    >
      <Row $gap={4} $top>
        <TextField
          label={`Name of the new ${what}`}
          hideLabel={hideLabel}
          placeholder={`name of a new ${what}`}
          value={name}
          onChange={(next) => {
            setName(next)
            setFault(undefined)
          }}
          error={fault ?? error}
          width={width}
          autoFocus={isAdding}
        />
        <div style={{ paddingTop: hideLabel ? 0 : 20 }}>
          <Button onPress={make} isDisabled={isBusy}>
            Make it
          </Button>
          {choices.length > 0 && (
            <Button kind="quiet" onPress={() => setAdding(false)}>
              Cancel
            </Button>
          )}
        </div>
      </Row>
    </div>
  )
}
