import pg from 'pg'

/**
 * A connection that ends together with its database ends nothing else. The driver throws what the database says between two queries unless somebody
 * listens, and Sequelize listens a moment too late: a database that goes away just as it lets somebody in would take the process with it.
 */
export class Client extends pg.Client {
  constructor(settings?: string | pg.ClientConfig) {
    super(settings)
    this.on('error', () => undefined)
  }
}

/** The driver as Sequelize takes it. */
export const driver = { ...pg, Client }
