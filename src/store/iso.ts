/** SQL that says an instant as JSON does: ISO 8601 in UTC, to the millisecond; null stays null. What is only passed on need not become a Date and text again. @param column a column of the type timestamptz */
export const isoText = (column: string): string =>
  `to_char(${column} AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"')`
