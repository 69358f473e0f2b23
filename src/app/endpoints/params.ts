/** The number in the path of what an endpoint is about. */
export const id = (params: Readonly<Record<string, number>>, name = 'id'): number => params[name] as number
