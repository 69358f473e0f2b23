import { render, screen } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import { Button } from './button'
import { Checkbox, Switch, TextField } from './fields'
import { Select } from './select'
import { Reading } from './reading'

const CHOICES = [
  { id: 'a', title: 'all of them' },
  { id: 'b', title: 'one' },
]

describe('where things are only shown', () => {
  it('fields say what stands in them, and nothing can be typed, chosen, switched or pressed', async () => {
    const changed = jest.fn()
    render(
      <Reading>
        <TextField label="Title" value="Fare cache" onChange={changed} />
        <TextField label="Notes" value="" onChange={changed} />
        <Select label="Where" value="b" onChange={changed} choices={CHOICES} />
        <Switch isSelected onChange={changed}>
          on: it may run
        </Switch>
        <Checkbox isSelected={false} onChange={changed}>
          and its output has
        </Checkbox>
        <Button onPress={changed}>Add</Button>
      </Reading>,
    )
    expect(screen.getByRole('group', { name: 'Title' }).textContent).toBe('TitleFare cache')
    expect(screen.getByRole('group', { name: 'Notes' }).textContent).toBe('Notes—')
    expect(screen.getByRole('group', { name: 'Where' }).textContent).toBe('Whereone')
    expect(screen.queryByRole('textbox')).toBeNull()
    expect(screen.queryByRole('button')).toBeNull()
    await userEvent.click(screen.getByRole('switch'))
    await userEvent.click(screen.getByRole('checkbox'))
    expect(changed).not.toHaveBeenCalled()
  })

  it('what is outside, or where one may, is as ever', async () => {
    const changed = jest.fn()
    render(
      <Reading isOn={false}>
        <TextField label="Title" value="" onChange={changed} />
        <Button onPress={changed}>Add</Button>
      </Reading>,
    )
    await userEvent.type(screen.getByRole('textbox', { name: 'Title' }), 'x')
    await userEvent.click(screen.getByRole('button', { name: 'Add' }))
    expect(changed).toHaveBeenCalledTimes(2)
  })
})

describe('what one may not do', () => {
  it('looks so, is reached, says why, and does nothing', async () => {
    const changed = jest.fn()
    render(
      <>
        <Button onPress={changed} whyNot="Only who designs may.">
          Remove
        </Button>
        <Switch isSelected={false} onChange={changed} whyNot="Only who operates may.">
          Evening count is on
        </Switch>
        <Select
          label="Priority"
          value={null}
          placeholder="Priority …"
          onChange={changed}
          choices={CHOICES}
          whyNot="Only who designs may."
        />
      </>,
    )
    const button = screen.getByRole('button', { name: 'Remove' })
    expect(button.className).toContain('off')
    await userEvent.click(button)
    await userEvent.tab()
    expect((await screen.findByRole('tooltip')).textContent).toMatch(/^Only who (designs|operates) may\.$/)
    const face = screen.getByRole('switch', { name: 'Evening count is on . Only who operates may.' })
    expect(face.closest('.off')).not.toBeNull()
    await userEvent.click(face)
    await userEvent.click(screen.getByRole('button', { name: 'Priority' }))
    expect(screen.queryByRole('listbox')).toBeNull()
    expect(changed).not.toHaveBeenCalled()
  })
})
