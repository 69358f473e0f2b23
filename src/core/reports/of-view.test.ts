import { reportSchema } from './definition'
import { ofView } from './of-view'

it('a report takes of a view of runs whose they are, and says what it does not take', () => {
  const { filter, left } = ofView({
    ...{
      job: '3,4',
      area: '2',
      trigger: '9',
      person: '1',
      agent: '7',
      robot: '8',
      cause: 'person,trigger',
      kind: 'flow',
    },
    ...{ state: 'failed', text: 'till', columns: 'number,job', sort: 'ended', dir: 'asc', when: 'today', steps: 'yes' },
  })
  expect(filter).toEqual({
    ...{ job: [3, 4], area: [2], trigger: [9], person: [1], agent: [7], robot: [8] },
    ...{ cause: ['person', 'trigger'], kind: ['flow'] },
  })
  expect(left).toEqual(['state', 'text'])
  const whole = { title: 'Tills', kind: 'runs', period: { last: 'week' }, zone: 'UTC', filter }
  expect(reportSchema.parse(whole).filter).toEqual(filter)
})

it('what is no number, no cause and no kind is not taken', () => {
  expect(ofView({ job: 'x,-1,1e99', cause: 'rain', kind: 'song', agent: '' })).toEqual({
    filter: {},
    left: ['job', 'cause', 'kind', 'agent'],
  })
})
