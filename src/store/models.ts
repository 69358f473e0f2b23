import type { Model, ModelAttributes, ModelStatic, Sequelize } from 'sequelize'
import { snake, type Columns, type NewRowOf, type RowOf, type Table } from './columns'
import { tables, type Tables } from './tables'

type ModelOf<T extends Table> = ModelStatic<Model<RowOf<T['columns']>, NewRowOf<T['columns']>> & RowOf<T['columns']>>
/** A model of each table, by its name. */
export type Models = { readonly [Name in keyof Tables]: ModelOf<Tables[Name]> }

function attributesOf(columns: Columns): ModelAttributes {
  return Object.fromEntries(
    Object.entries(columns).map(([name, { kept, isNullable, isFilled, isKey }]) => [
      name,
      {
        type: kept,
        field: snake(name),
        // What is not given and filled in by the database is not missing.
        ...(isNullable || isFilled ? {} : { allowNull: false }),
        ...(isKey ? { primaryKey: true, autoIncrement: isFilled && name === 'id' } : {}),
      },
    ]),
  )
}

/** Ties the models to this connection. */
export function defineModels(sequelize: Sequelize): Models {
  return Object.fromEntries(
    Object.entries(tables).map(([model, { name, columns }]) => [
      model,
      sequelize.define(name, attributesOf(columns), { tableName: name, timestamps: false }),
    ]),
  ) as unknown as Models
}
