import { act, fireEvent, screen, waitFor } from '@testing-library/react'
import userEvent from '@testing-library/user-event'
import fc from 'fast-check'
import { changesOf, type Asked } from './screen.test-help'

type Field = HTMLInputElement | HTMLTextAreaElement

const fields = (): Field[] =>
  [...document.querySelectorAll<Field>('input:not([type]), input[type=text], input[type=search], textarea')].filter(
    (each) => !each.disabled && !each.readOnly && !each.closest('.cm-editor, [data-code]'),
  )
const isRefused = (field: Field | undefined): boolean => field?.getAttribute('aria-invalid') === 'true'

const nameOf = (field: Field): string => field.labels?.[0]?.textContent ?? field.getAttribute('aria-label') ?? ''

/** By its name, and the how manieth of that name it is: an index would shift with what is typed. */
const keysOf = (): string[] => {
  const seen = new Map<string, number>()
  return fields().map((field) => {
    const name = nameOf(field)
    seen.set(name, (seen.get(name) ?? 0) + 1)
    return `${name} #${seen.get(name)}`
  })
}
/** Names are read off the whole page, which is slow: a field that is still there is that field. */
const found = new Map<string, Field>()
function fieldOf(key: string): Field | undefined {
  const known = found.get(key)
  if (known?.isConnected) return known
  const all = fields()
  keysOf().forEach((each, i) => found.set(each, all[i] as Field))
  const now = found.get(key)
  return now?.isConnected ? now : undefined
}

/** What is typed, but for how lists write it again. */
const bare = (text: string): string => text.replace(/[\s,"]/g, '')

/** A whole form is drawn again after each of these, on a machine that may be busy. */
const PATIENT = { timeout: 60_000 }

const TEXT = fc
  .string({ unit: fc.constantFrom(...'abzAZ019 ,.;="\'-:/|%øé漢'), minLength: 1, maxLength: 6 })
  .map((text) => text.trim())
  .filter((text) => text !== '')

/**
 * Types a random text into each text field of a form and saves: either the save is refused and the field says so, or a form that is opened with what was sent shows the same text in the
 * same field. Fields that refuse theirs get back what they had, and it is saved again. `open` shows the form as it is saved, or as a saved body has it; `put` is the request that saves it.
 * `typed`: fields that need not be typed into any more, and are those of this form afterwards: of a form that is opened in several ways each field is typed into once.
 */
export async function expectKept<B>(
  open: (body: B | null) => Asked[],
  put: string,
  { seed, notAsked = [], typed = new Set() }: { seed: number; notAsked?: readonly string[]; typed?: Set<string> },
): Promise<void> {
  const user = userEvent.setup({ delay: null })
  found.clear()
  const asked = open(null)
  const save = await screen.findByText('Save')
  const keys = keysOf().filter((key) => !typed.has(key) && !notAsked.some((name) => key.startsWith(name)))
  for (const key of keys) typed.add(key)
  expect(keys.length).toBeGreaterThan(0)
  const before = new Map(keys.map((key) => [key, fieldOf(key)?.value ?? '']))
  const texts = fc.sample(TEXT, { seed, numRuns: keys.length })
  for (const [i, key] of keys.entries()) {
    const text = texts[i] as string
    const field = fieldOf(key) as Field
    act(() => field.focus())
    field.select()
    await user.paste(text.slice(0, -1))
    await user.keyboard(text.slice(-1).replace(/[{[]/g, '$&$&'))
    act(() => field.blur())
    expect([key, bare(fieldOf(key)?.value ?? '')]).toEqual([key, bare(text)])
  }
  const sent = (): B | undefined => changesOf(asked).find(({ what }) => what === put)?.body as B | undefined
  for (let look = 0; look < 5 && !sent(); look++) {
    fireEvent.click(save)
    await waitFor(() => {
      // What is wrong besides a field is no answer to what was typed into one.
      if (!sent() && !keys.some((key) => isRefused(fieldOf(key))))
        throw new Error('Neither saved, nor refused at a field.')
    }, PATIENT)
    if (sent()) break
    for (const key of keys) {
      const field = fieldOf(key)
      if (field && isRefused(field)) fireEvent.change(field, { target: { value: before.get(key) } })
    }
  }
  expect(sent()).toBeDefined()
  const shown = keys.map((key) => [key, fieldOf(key)?.value])
  found.clear()
  open(sent() as B)
  await screen.findByText('Save')
  await waitFor(() => expect(keys.map((key) => [key, fieldOf(key)?.value])).toEqual(shown), PATIENT)
}

// jsdom lays nothing out; the editor of code asks where its text is when it is passed.
Range.prototype.getClientRects = () => [] as unknown as DOMRectList
