/** So long after the last key, click or movement nobody is taken to be there. */
const AWAY_MS = 5 * 60_000

let lastTouch = Date.now()
if (typeof window !== 'undefined')
  for (const event of ['keydown', 'pointerdown', 'pointermove', 'wheel'])
    window.addEventListener(event, () => (lastTouch = Date.now()), { capture: true, passive: true })

/** Whether somebody has touched this page lately: what it asks by itself after that must not keep a session alive. */
export const isAttended = (): boolean => Date.now() - lastTouch < AWAY_MS
