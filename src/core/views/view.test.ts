import { LIST_NAMES } from './lists'
import { addressOfView, heldIn, isSame, keysOf, viewSchema } from './view'

const content = (change: object = {}): object => ({ list: 'runs', title: 'Night', values: {}, ...change })
const faultsOf = (change: object): string[] => {
  const { error } = viewSchema.safeParse(content(change))
  return (error?.issues ?? []).map(({ path, message }) => `${path.join('.')}: ${message}`)
}

describe('what a view holds', () => {
  it('is the filters, the order, the columns and what is beside; nothing of what is open at the moment', () => {
    const held = heldIn('runs', {
      state: 'failed',
      sort: 'ended',
      columns: 'number,job',
      beside: 'job',
      row: '7',
      text: '',
    })
    expect(held).toEqual({ state: 'failed', sort: 'ended', columns: 'number,job', beside: 'job' })
    expect(heldIn('agents', { state: 'away', enrol: '1', tab: 'agents', beside: 'runs' })).toEqual({ state: 'away' })
  })

  it('is the same in whatever order it stands', () => {
    expect(
      isSame('runs', { state: 'failed', when: 'last-night' }, { when: 'last-night', state: 'failed', row: '3' }),
    ).toBe(true)
    expect(isSame('runs', { state: 'failed' }, { state: 'failed', dir: 'asc' })).toBe(false)
    expect(isSame('runs', { state: 'failed' }, { state: 'failed', text: '' })).toBe(true)
  })

  it('has a name for each key of each list once', () => {
    for (const list of LIST_NAMES) expect(new Set(keysOf(list)).size).toBe(keysOf(list).length)
  })
})

describe('a view that is kept', () => {
  it('is read as it is written', () => {
    expect(viewSchema.parse(content({ title: '  Last night  ', values: { state: 'failed' } }))).toEqual({
      list: 'runs',
      of: null,
      title: 'Last night',
      values: { state: 'failed' },
      shared: 'me',
      areaId: null,
    })
  })

  it.each([
    [{ values: { colour: 'red' } }, /^values\.colour: A view of Runs knows state, /],
    [{ title: '   ' }, /^title: /],
    [{ title: 'x'.repeat(81) }, /^title: /],
    [{ list: 'birds' }, /^list: /],
    [{ of: 3 }, /^of: Only a view of items/],
    [{ list: 'items' }, /^of: Name the queue/],
    [{ shared: 'area' }, /^areaId: Name the area/],
    [{ areaId: 3 }, /^areaId: It is for no area/],
    [{ values: { text: 'x'.repeat(2001) } }, /^values\.text: /],
  ])('is refused with the place that is wrong: %j', (change, fault) => {
    expect(faultsOf(change)).toEqual([expect.stringMatching(fault)])
  })
})

it('a view has an address of its own', () => {
  expect(addressOfView({ list: 'runs', of: null, id: 12 })).toBe('/runs?view=12')
  expect(addressOfView({ list: 'robots', of: null, id: 3 })).toBe('/fleet?tab=robots&view=3')
  expect(addressOfView({ list: 'items', of: 7, id: 3 })).toBe('/work/queues/7?view=3')
})
