import fc from 'fast-check'
import { organisations, rightsNaively } from '@/core/people/naive-rights.test-help'
import { heightOf, rightsIn, type Organisation } from '@/core/people/rights'
import { checkRights } from '@/core/people/rights-file'
import { ADMIN, freshDatabase } from '@/store/database.test-help'
import { execute, many, transaction, type Tx } from '@/store/db'
import { behindWalls } from '@/store/walls'
import { readOrganisation, rightsFile } from './organisation'

freshDatabase()

const number = (id: string): number => Number(id.slice(1)) + 1

/** Writes it into an empty database; what names nobody is left out. */
async function write(tx: Tx, { people, groups, areas }: Organisation): Promise<void> {
  for (const { id, role } of people)
    await execute(tx, `INSERT INTO people (id, email, name, role) VALUES ($1, $2, $2, $3)`, [number(id), id, role])
  for (const { id } of groups)
    await execute(tx, `INSERT INTO groups (id, title, changed_by) VALUES ($1, $2, '')`, [number(id), id])
  const member = groups.flatMap(({ id, people: list }) => list.map((person) => ({ id, person })))
  await execute(
    tx,
    'INSERT INTO group_members SELECT u.g, u.p FROM unnest($1::bigint[], $2::bigint[]) AS u(g, p) JOIN people ON people.id = u.p',
    [member.map(({ id }) => number(id)), member.map(({ person }) => number(person))],
  )
  // All in one: closed ones and those in one another come in any order, as a move brings them.
  await execute(
    tx,
    'INSERT INTO areas (id, title, parent_id, closed) SELECT u.id, u.title, u.parent, u.closed FROM unnest($1::bigint[], $2::text[], $3::bigint[], $4::bool[]) AS u(id, title, parent, closed)',
    [
      areas.map(({ id }) => number(id)),
      areas.map(({ id }) => id),
      areas.map((area) => (area.in === null ? null : number(area.in))),
      areas.map(({ closed }) => closed),
    ],
  )
  for (const { id, grants } of areas)
    for (const { to, may } of grants)
      await execute(
        tx,
        `INSERT INTO grants (area_id, person_id, group_id, may)
         SELECT $1, p.id, g.id, $4 FROM (SELECT 1) one LEFT JOIN people p ON p.id = $2 LEFT JOIN groups g ON g.id = $3 WHERE p.id IS NOT NULL OR g.id IS NOT NULL
         ON CONFLICT (area_id, coalesce(person_id, 0), coalesce(group_id, 0)) DO UPDATE
           SET may = CASE WHEN level_height(excluded.may) > level_height(grants.may) THEN excluded.may ELSE grants.may END`,
        [number(id), 'person' in to ? number(to.person) : null, 'group' in to ? number(to.group) : null, may],
      )
}

async function empty(tx: Tx): Promise<void> {
  await execute(tx, 'DELETE FROM grants')
  await execute(tx, 'DELETE FROM areas')
  await execute(tx, 'DELETE FROM groups')
  await execute(tx, 'DELETE FROM people')
}

describe('what the database says of areas', () => {
  it('is what the pure function and the rule read aloud say, on 150 random trees', async () => {
    await fc.assert(
      fc.asyncProperty(organisations, async (given) => {
        const said = await transaction(async (tx) => {
          await empty(tx)
          await write(tx, given)
          return many<{ person: number; area: number; height: number }>(
            tx,
            'SELECT p.id AS person, r.area_id AS area, r.height FROM people p, area_rights(p.id) r ORDER BY 1, 2',
          )
        })
        const got = new Map(said.map(({ person, area, height }) => [`${person} ${area}`, height]))
        const seen = new Set<string>()
        for (const { id } of given.people) {
          const mine = await behindWalls(number(id), () => many<{ area: number }>(null, 'SELECT my_areas() AS area'))
          for (const { area } of mine) seen.add(`${number(id)} ${area}`)
        }
        const rights = rightsIn(given)
        const stored = rightsIn(await readOrganisation(null))
        for (const person of given.people)
          for (const area of given.areas) {
            const { may } = rights(person.id, area.id)
            expect(got.get(`${number(person.id)} ${number(area.id)}`) ?? 0).toBe(heightOf(may))
            expect(rightsNaively(given, person.id, area.id).may).toBe(may)
            expect(seen.has(`${number(person.id)} ${number(area.id)}`)).toBe(may !== 'none')
            expect(stored(String(number(person.id)), String(number(area.id))).may).toBe(may)
          }
      }),
      { numRuns: 150 },
    )
  })

  it('follows every move, closing and opening', async () => {
    await fc.assert(
      fc.asyncProperty(
        organisations,
        fc.array(fc.record({ area: fc.nat(9), into: fc.option(fc.nat(9)), closed: fc.boolean() }), { maxLength: 6 }),
        async (given, moves) => {
          await transaction(async (tx) => {
            await empty(tx)
            await write(tx, given)
            for (const { area, into, closed } of moves) {
              // Only into one that does not lie in it: rings are refused before (service/work/areas).
              await execute(
                tx,
                `WITH RECURSIVE below AS (SELECT $1::bigint AS id UNION SELECT a.id FROM areas a JOIN below b ON a.parent_id = b.id)
                 UPDATE areas SET closed = $3, parent_id = CASE WHEN $2::bigint IN (SELECT id FROM below) THEN parent_id ELSE (SELECT id FROM areas WHERE id = $2) END
                  WHERE id = $1`,
                [area + 1, into === null ? null : into + 1, closed],
              )
            }
          })
          const said = await many<{ person: string; area: string; height: number }>(
            null,
            'SELECT p.id::text AS person, r.area_id::text AS area, r.height FROM people p, area_rights(p.id) r',
          )
          const got = new Map(said.map(({ person, area, height }) => [`${person} ${area}`, height]))
          const organisation = await readOrganisation(null)
          const rights = rightsIn(organisation)
          for (const person of organisation.people)
            for (const area of organisation.areas)
              expect(got.get(`${person.id} ${area.id}`) ?? 0).toBe(heightOf(rights(person.id, area.id).may))
          const paths = await many<{ id: number; path: string; parentId: number | null; title: string }>(
            null,
            'SELECT id, path, parent_id AS "parentId", title FROM areas',
          )
          const byId = new Map(paths.map((area) => [area.id, area]))
          for (const area of paths) {
            const above = area.parentId === null ? undefined : byId.get(area.parentId)
            expect(area.path).toBe(above ? `${above.path} / ${area.title}` : area.title)
          }
        },
      ),
      { numRuns: 100 },
    )
  })
})

describe('the file of a server', () => {
  it('is one that is read, and says the same', async () => {
    await fc.assert(
      fc.asyncProperty(organisations, async (given) => {
        await transaction(async (tx) => {
          await empty(tx)
          await write(tx, given)
        })
        const checked = checkRights(JSON.parse(JSON.stringify(await rightsFile(ADMIN))))
        if (!checked.ok) throw new Error(JSON.stringify(checked.faults))
        const [rights, read] = [rightsIn(given), rightsIn(checked.organisation)]
        const pathOf = new Map(
          (await many<{ id: number; path: string }>(null, 'SELECT id, path FROM areas')).map(({ id, path }) => [
            id,
            path,
          ]),
        )
        for (const person of given.people)
          for (const area of given.areas)
            expect(read(person.id, pathOf.get(number(area.id)) ?? '').may).toBe(rights(person.id, area.id).may)
      }),
      { numRuns: 50 },
    )
  })
})

describe('behind the walls', () => {
  it('nothing can be written, and every transaction and single query stands behind them', async () => {
    await transaction(async (tx) => {
      await empty(tx)
      await execute(tx, `INSERT INTO people (id, email, name, role) VALUES (1, 'wren', 'Wren', 'none')`)
      await execute(tx, `INSERT INTO areas (id, title) VALUES (1, 'Sailing'), (2, 'Refunds')`)
      await execute(tx, `INSERT INTO grants (area_id, person_id, may) VALUES (2, 1, 'see')`)
    })
    const titles = (tx: Tx | null): Promise<{ title: string }[]> => many(tx, 'SELECT title FROM areas')
    expect(await behindWalls(1, () => titles(null))).toEqual([{ title: 'Refunds' }])
    expect(await behindWalls(1, () => transaction((tx) => titles(tx)))).toEqual([{ title: 'Refunds' }])
    await expect(behindWalls(1, () => execute(null, `UPDATE areas SET title = 'x'`))).rejects.toThrow(/permission/)
    // The connection that was behind them is as before.
    expect(await titles(null)).toHaveLength(2)
    expect(await behindWalls(7, () => titles(null))).toEqual([])
  })
})
