import { DataTypes, type DataType } from 'sequelize'

/** A column: how PostgreSQL keeps it, and (`of`, never there) what a row has of it. */
export interface Column<T = unknown, Optional extends boolean = boolean> {
  /** PostgreSQL's own name of the type, as its catalogue says it. */
  readonly type: string
  readonly kept: DataType
  readonly isNullable: boolean
  /** The database fills it in where a new row says nothing. */
  readonly isFilled: boolean
  readonly isKey: boolean
  readonly of?: readonly [T, Optional]
}
export type Columns = Readonly<Record<string, Column>>

/** A row as it is read. */
export type RowOf<C extends Columns> = { [K in keyof C]: C[K] extends Column<infer T> ? T : never }
type Left<C extends Columns> = { [K in keyof C]: C[K] extends Column<unknown, true> ? K : never }[keyof C]
/** A row as it is written for the first time: what may be null, or is filled in, may be left out. */
export type NewRowOf<C extends Columns> = Omit<RowOf<C>, Left<C>> & Partial<Pick<RowOf<C>, Left<C>>>

const column = <T>(type: string, kept: DataType): Column<T, false> => ({
  type,
  kept,
  isNullable: false,
  isFilled: false,
  isKey: false,
})

export const ref = (): Column<number, false> => column('int8', DataTypes.BIGINT)
/** A count or a length that may pass 2³¹; below 2⁵³. */
export const long = (): Column<number, false> => ref()
export const int = (): Column<number, false> => column('int4', DataTypes.INTEGER)
export const small = (): Column<number, false> => column('int2', DataTypes.SMALLINT)
export const real = (): Column<number, false> => column('float4', DataTypes.REAL)
export const double = (): Column<number, false> => column('float8', DataTypes.DOUBLE)
export const flag = (): Column<boolean, false> => column('bool', DataTypes.BOOLEAN)
export const text = <T extends string = string>(): Column<T, false> => column('text', DataTypes.TEXT)
export const texts = (): Column<string[], false> => column('_text', DataTypes.ARRAY(DataTypes.TEXT))
export const refs = (): Column<number[], false> => column('_int8', DataTypes.ARRAY(DataTypes.BIGINT))
export const reals = (): Column<number[], false> => column('_float4', DataTypes.ARRAY(DataTypes.REAL))
export const uuid = (): Column<string, false> => column('uuid', DataTypes.UUID)
export const bytes = (): Column<Buffer, false> => column('bytea', DataTypes.BLOB)
/** An instant. */
export const instant = (): Column<Date, false> => column('timestamptz', DataTypes.DATE)
/** A day of the calendar, `YYYY-MM-DD`, without a zone. */
export const day = (): Column<string, false> => column('date', DataTypes.DATEONLY)
export const json = <T = unknown>(): Column<T, false> => column('jsonb', DataTypes.JSONB)

export const orNull = <T>(of: Column<T, false>): Column<T | null, true> => ({
  type: of.type,
  kept: of.kept,
  isNullable: true,
  isFilled: of.isFilled,
  isKey: of.isKey,
})
export const filled = <T>(of: Column<T, false>): Column<T, true> => ({
  type: of.type,
  kept: of.kept,
  isNullable: false,
  isFilled: true,
  isKey: of.isKey,
})
/** Part of the primary key. */
export const key = <T, O extends boolean>(of: Column<T, O>): Column<T, O> => ({ ...of, isKey: true })
/** The number of a row, counted by the database. */
export const id = (): Column<number, true> => key(filled(ref()))

/** A table by its name and columns: `camelCase` here, `snake_case` in the database. */
export interface Table<C extends Columns = Columns> {
  readonly name: string
  readonly columns: C
}
export const table = <C extends Columns>(name: string, columns: C): Table<C> => ({ name, columns })

export const snake = (name: string): string => name.replace(/[A-Z]/g, (letter) => `_${letter.toLowerCase()}`)
