import { distinctTitles } from './titles'

describe('titles of steps', () => {
  it('tell steps of one flow apart that run the same, and leave others as they are', () => {
    const titles = distinctTitles([
      { parent: -1, title: 'Till file', id: 'own' },
      { parent: -1, title: 'Reconcile', id: 'reconcile' },
      { parent: 0, title: 'Till file', id: 'orrin' },
      { parent: 0, title: 'Till file', id: 'tarn' },
    ])
    expect(titles).toEqual(['Till file', 'Reconcile', 'Till file · orrin', 'Till file · tarn'])
  })
})
