import {
  DataTypes,
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type ModelAttributes,
  type Sequelize,
} from 'sequelize'
import type { Role } from '@/core/people/roles'

export class Person extends Model<InferAttributes<Person>, InferCreationAttributes<Person>> {
  declare id: CreationOptional<number>
  declare email: string
  declare name: string
  declare role: Role
  declare passwordHash: CreationOptional<string | null>
  declare active: CreationOptional<boolean>
  declare isDemo: CreationOptional<boolean>
  declare preferences: CreationOptional<Record<string, unknown>>
  declare createdAt: CreationOptional<Date>
}

export class Session extends Model<InferAttributes<Session>, InferCreationAttributes<Session>> {
  declare id: CreationOptional<number>
  declare tokenHash: string
  declare personId: number
  declare address: string
  declare userAgent: string
  declare createdAt: CreationOptional<Date>
  declare lastSeenAt: CreationOptional<Date>
  declare expiresAt: Date
}

export class AccessToken extends Model<InferAttributes<AccessToken>, InferCreationAttributes<AccessToken>> {
  declare id: CreationOptional<number>
  declare personId: number
  declare name: string
  declare may: CreationOptional<string>
  declare tokenHash: string
  declare createdAt: CreationOptional<Date>
  declare expiresAt: Date
  declare lastUsedAt: CreationOptional<Date | null>
  declare revokedAt: CreationOptional<Date | null>
}

export class Area extends Model<InferAttributes<Area>, InferCreationAttributes<Area>> {
  declare id: CreationOptional<number>
  declare title: string
  declare notes: CreationOptional<string>
}

export class Pool extends Model<InferAttributes<Pool>, InferCreationAttributes<Pool>> {
  declare id: CreationOptional<number>
  declare name: string
  declare title: string
  declare active: CreationOptional<boolean>
}

export class Agent extends Model<InferAttributes<Agent>, InferCreationAttributes<Agent>> {
  declare id: CreationOptional<number>
  declare name: string
  declare machineId: string
  declare host: string
  declare system: string
  declare arch: string
  declare version: string
  declare runtime: string
  declare labels: CreationOptional<Record<string, string>>
  declare abilities: CreationOptional<string[]>
  declare slots: CreationOptional<number>
  declare active: CreationOptional<boolean>
  declare draining: CreationOptional<boolean>
  declare credentialHash: CreationOptional<string | null>
  declare enrolledAt: CreationOptional<Date>
  declare enrolledBy: CreationOptional<string>
  declare isSimulated: CreationOptional<boolean>
}

export class Job extends Model<InferAttributes<Job>, InferCreationAttributes<Job>> {
  declare id: CreationOptional<number>
  declare slug: string
  declare title: string
  declare notes: CreationOptional<string>
  declare areaId: number
  declare isFlow: CreationOptional<boolean>
  declare active: CreationOptional<boolean>
  declare version: CreationOptional<number>
  declare usualMs: CreationOptional<number | null>
  declare savedBy: string
  declare savedAt: CreationOptional<Date>
  declare deletedAt: CreationOptional<Date | null>
}

/** Ties the classes to this connection. Ids are BIGINT, read as numbers (see db.ts). */
export function defineModels(sequelize: Sequelize): {
  Person: typeof Person
  Session: typeof Session
  AccessToken: typeof AccessToken
  Area: typeof Area
  Pool: typeof Pool
  Agent: typeof Agent
  Job: typeof Job
} {
  // Functions, because Sequelize writes into the objects it is given.
  const id = (): object => ({ type: DataTypes.BIGINT, primaryKey: true, autoIncrement: true })
  const text = (): object => ({ type: DataTypes.TEXT, allowNull: false })
  const maybeText = (): object => ({ type: DataTypes.TEXT, allowNull: true })
  const optionalText = (): object => ({ type: DataTypes.TEXT, defaultValue: '' })
  const flag = (defaultValue: boolean): object => ({ type: DataTypes.BOOLEAN, defaultValue })
  const now = (): object => ({ type: DataTypes.DATE, defaultValue: DataTypes.NOW })
  const date = (): object => ({ type: DataTypes.DATE, allowNull: false })
  const maybeDate = (): object => ({ type: DataTypes.DATE, allowNull: true })
  const ref = (): object => ({ type: DataTypes.BIGINT, allowNull: false })
  const json = (defaultValue: object): object => ({ type: DataTypes.JSONB, defaultValue })
  const whole = (defaultValue: number | null): object => ({
    type: DataTypes.BIGINT,
    allowNull: defaultValue === null,
    ...(defaultValue === null ? {} : { defaultValue }),
  })
  const options = { sequelize, underscored: true, timestamps: false }

  Person.init(
    {
      id: id(),
      email: text(),
      name: text(),
      role: text(),
      passwordHash: maybeText(),
      active: flag(true),
      isDemo: flag(false),
      preferences: json({}),
      createdAt: now(),
    } as ModelAttributes<Person>,
    { ...options, tableName: 'people' },
  )
  Session.init(
    {
      id: id(),
      tokenHash: text(),
      personId: ref(),
      address: text(),
      userAgent: text(),
      createdAt: now(),
      lastSeenAt: now(),
      expiresAt: date(),
    } as ModelAttributes<Session>,
    { ...options, tableName: 'sessions' },
  )
  AccessToken.init(
    {
      id: id(),
      personId: ref(),
      name: text(),
      may: text(),
      tokenHash: text(),
      createdAt: now(),
      expiresAt: date(),
      lastUsedAt: maybeDate(),
      revokedAt: maybeDate(),
    } as ModelAttributes<AccessToken>,
    { ...options, tableName: 'access_tokens' },
  )
  Area.init({ id: id(), title: text(), notes: optionalText() } as ModelAttributes<Area>, {
    ...options,
    tableName: 'areas',
  })
  Pool.init({ id: id(), name: text(), title: text(), active: flag(true) } as ModelAttributes<Pool>, {
    ...options,
    tableName: 'pools',
  })
  Agent.init(
    {
      id: id(),
      name: text(),
      machineId: text(),
      host: text(),
      system: text(),
      arch: text(),
      version: text(),
      runtime: text(),
      labels: json({}),
      abilities: json([]),
      slots: whole(2),
      active: flag(true),
      draining: flag(false),
      credentialHash: maybeText(),
      enrolledAt: now(),
      enrolledBy: optionalText(),
      isSimulated: flag(false),
    } as ModelAttributes<Agent>,
    { ...options, tableName: 'agents' },
  )
  Job.init(
    {
      id: id(),
      slug: text(),
      title: text(),
      notes: optionalText(),
      areaId: ref(),
      isFlow: flag(false),
      active: flag(true),
      version: whole(1),
      usualMs: whole(null),
      savedBy: text(),
      savedAt: now(),
      deletedAt: maybeDate(),
    } as ModelAttributes<Job>,
    { ...options, tableName: 'jobs' },
  )
  return { Person, Session, AccessToken, Area, Pool, Agent, Job }
}
