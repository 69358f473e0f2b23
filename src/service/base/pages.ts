import { hostname } from 'node:os'
import { config } from '@/store/config'
import { transaction } from '@/store/db'
import { readSetting, writeSetting } from './settings'

/** Where people find the pages, for links that are read elsewhere: as the settings say, else where an administrator last signed in, else by this machine's name. No slash at its end. */
export async function pagesUrl(): Promise<string> {
  const { publicUrl, tls, webPort } = config()
  if (publicUrl !== '') return publicUrl
  const { url } = await readSetting(null, 'pages')
  return url === '' ? `${tls ? 'https' : 'http'}://${hostname()}:${webPort}` : url
}

/** An administrator signed in here. */
export async function rememberPages(url: string): Promise<void> {
  if (config().publicUrl !== '' || (await readSetting(null, 'pages')).url === url) return
  await transaction((tx) => writeSetting(tx, 'pages', { url }))
}
