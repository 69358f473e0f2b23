import { masking, MASKS, withoutEscapes } from './masks'

const all = masking(MASKS)

describe('what differs without meaning anything', () => {
  it.each([
    ['2027-03-09T02:00:01.52Z begun', '‹instants› begun'],
    ['2027-03-09 02:00:01,120 +0100 begun', '‹instants› begun'],
    ['on 2027-03-09 all boats', 'on ‹instants› all boats'],
    ['[09/Mar/2027:02:00:01 +0000] GET /', '[‹instants›] GET /'],
    ['Mar  9 02:00:01 orrin sync[4711]: done', '‹instants› orrin sync‹process ids›: done'],
    ['Tue, 9 Mar 2027 02:00:01 begun', '‹instants› begun'],
    ['took 12.5 s, waited 300ms', 'took ‹durations›, waited ‹durations›'],
    ['real 1m02.3s', 'real ‹durations›'],
    ['lasted PT1M30S', 'lasted ‹durations›'],
    ['run 48213 of #48212', '‹run numbers› of ‹run numbers›'],
    ['pid 4711, process=88', '‹process ids›, ‹process ids›'],
    ['wrote /tmp/x8Yq2/list.csv.', 'wrote ‹temporary names›'],
    ['made tmp.Xy71Kq', 'made ‹temporary names›'],
    ['id 0f8fad5b-d9cb-469f-a165-70867728950e', 'id ‹temporary names›'],
    ['sum d41d8cd98f00b204e9800998ecf8427e', 'sum ‹temporary names›'],
  ])('%s', (line, masked) => {
    expect(all(line)).toBe(masked)
  })

  it.each(['port 4381', 'version 1.2.3', '12 boats', 'decade', 'load 0.52', 'row [3] of 10', 'a9 and b7'])(
    'leaves alone: %s',
    (line) => {
      expect(all(line)).toBe(line)
    },
  )

  it('is seen again when its mask is off; own ones come beside', () => {
    expect(masking(['durations'])('2027-03-09 in 3 s')).toBe('2027-03-09 in ‹durations›')
    expect(masking([], [/boat-\d+/g])('boat-7 is out')).toBe('‹…› is out')
    const long = `${'x'.repeat(10_001)} 3 s`
    expect(all(long)).toBe(long)
  })

  it('colours say nothing', () => {
    expect(withoutEscapes('\u001b[1;31mfailed\u001b[0m \u001b]0;title\u0007now')).toBe('failed now')
  })
})
