import { freshDatabase } from '../database.test-help'
import { documentOf, insertRows } from '../rows'
import { db, many, one } from '../db'
import { snake } from '../columns'
import { tables } from '.'

freshDatabase()

interface Found {
  readonly table: string
  readonly column: string
  readonly type: string
  readonly nullable: boolean
  readonly filled: boolean
  readonly key: boolean
}

describe('the models', () => {
  it('are what the database’s own catalogue says, table by table and column by column', async () => {
    const found = await many<Found>(
      null,
      `SELECT c.table_name AS table, c.column_name AS column, c.udt_name AS type, c.is_nullable = 'YES' AS nullable, c.column_default IS NOT NULL AS filled,
              EXISTS (SELECT 1 FROM pg_constraint k JOIN pg_attribute a ON a.attrelid = k.conrelid AND a.attnum = ANY (k.conkey)
                       WHERE k.contype = 'p' AND k.conrelid = c.table_name::regclass AND a.attname = c.column_name) AS key
         FROM information_schema.columns c JOIN information_schema.tables t USING (table_schema, table_name)
        WHERE c.table_schema = 'public' AND t.table_type = 'BASE TABLE' AND c.table_name <> 'migrations'
        ORDER BY 1, 2`,
    )
    const said = Object.values(tables).flatMap(({ name, columns }) =>
      Object.entries(columns).map(([column, { type, isNullable, isFilled, isKey }]): Found => ({
        table: name,
        column: snake(column),
        type,
        nullable: isNullable,
        filled: isFilled,
        key: isKey,
      })),
    )
    const inOrder = (all: readonly Found[]): string[] =>
      all.map((each) => JSON.stringify(each, Object.keys(each).sort())).sort()
    expect(inOrder(said)).toEqual(inOrder(found))
  })

  it('read and write a row; what the database fills in is there', async () => {
    const area = await db().areas.create({ title: 'Harbour' })
    expect(area).toMatchObject({ title: 'Harbour', notes: '' })
    expect(typeof area.id).toBe('number')
    await db().jobs.create({ slug: 'gulls', title: 'Count the gulls', areaId: area.id, savedBy: 'Ines' })
    const job = await db().jobs.findOne({ where: { slug: 'gulls' } })
    expect(job).toMatchObject({ areaId: area.id, active: true, version: 1, usualMs: null, deletedAt: null })
    await expect(db().jobs.create({ title: 'No name' } as never)).rejects.toThrow(/slug|areaId/)
  })
})

describe('many rows in one statement', () => {
  it('keep bytes, instants, days, lists and text with half a character', async () => {
    const made = await insertRows<typeof tables.areas.columns, { id: number; title: string }>(
      null,
      tables.areas,
      [{ title: 'Piers' }, { title: 'half \ud800 a “pair”\n\\' }],
      'RETURNING id, title',
    )
    expect(made.map(({ title }) => title)).toEqual(['Piers', 'half \ufffd a “pair”\n\\'])
    expect(await insertRows(null, tables.areas, [])).toEqual([])
    const row = await one(
      null,
      `SELECT * FROM jsonb_to_recordset($1) AS u(secret bytea, at timestamptz, some_day date, names _text, of jsonb, none jsonb)`,
      [
        documentOf([
          {
            secret: Buffer.from([0, 255, 7]),
            at: new Date('2027-03-09T02:00:00.123Z'),
            someDay: '2027-03-09',
            names: ['a,b', '"c"'],
            of: { x: [1, null] },
            none: null,
          },
        ]),
      ],
    )
    expect(row).toEqual({
      secret: Buffer.from([0, 255, 7]),
      at: new Date('2027-03-09T02:00:00.123Z'),
      some_day: '2027-03-09',
      names: ['a,b', '"c"'],
      of: { x: [1, null] },
      none: null,
    })
  })
})
