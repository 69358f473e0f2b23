import { createGlobalStyle, css } from 'styled-components'

/**
 * The colours of the harbour log by day and by night; every component names them by these variables. The state colours are dark enough to be read as text
 * on their own soft ground (4.5 : 1, WCAG 2.2, 1.4.3).
 */
const light = css`
  color-scheme: light;
  --paper: #f6f3ec;
  --sheet: #fffdf8;
  --shelf: #f1ece1;
  --line: #e2dccd;
  --line-strong: #cfc7b4;
  --ink: #16282d;
  --mute: #5b6a6c;
  --faint: #8a9493;
  --deck: #14272d;
  --deck-2: #1c363d;
  --deck-line: #2e4b52;
  --brass: #d9a132;
  --brass-ink: #7e5600;
  --succeeded: #1a7358;
  --succeeded-soft: #ddede4;
  --failed: #b4361b;
  --failed-soft: #f8e1d9;
  --running: #2b5ba8;
  --running-soft: #dce6f4;
  --waiting: #586668;
  --waiting-soft: #ebe7dc;
  --skipped: #5d6968;
  --skipped-soft: #ebe7dc;
  --late: #955800;
  --late-soft: #f8e8c8;
  --lost: #71408f;
  --lost-soft: #ece0f2;
  --day-in: #1c4a54;
  --day-in-ink: #ffffff;
  --on-solid: #ffffff;
`
const dark = css`
  color-scheme: dark;
  --paper: #0f1a1d;
  --sheet: #15242a;
  --shelf: #122024;
  --line: #26393f;
  --line-strong: #385058;
  --ink: #e9e6db;
  --mute: #9fb0b0;
  --faint: #6c8085;
  --deck: #0a1316;
  --deck-2: #10222a;
  --deck-line: #25404a;
  --brass: #d9a132;
  --brass-ink: #e9c06b;
  --succeeded: #58b795;
  --succeeded-soft: #163229;
  --failed: #f0845f;
  --failed-soft: #3a1b13;
  --running: #86aeea;
  --running-soft: #172842;
  --waiting: #94a5a9;
  --waiting-soft: #1c2f36;
  --skipped: #8b9da1;
  --skipped-soft: #1c2f36;
  --late: #e9b45c;
  --late-soft: #37290e;
  --lost: #c39adb;
  --lost-soft: #2b1c36;
  --day-in: #7fb3bd;
  --day-in-ink: #0f1a1d;
  --on-solid: #0f1a1d;
`

export const GlobalStyle = createGlobalStyle`
  :root { ${light} }
  :root[data-theme='dark'] { ${dark} }
  @media (prefers-color-scheme: dark) { :root[data-theme='system'] { ${dark} } }
  *, *::before, *::after { box-sizing: border-box; }
  progress { accent-color: var(--brass); }
  html, body { margin: 0; height: 100%; }
  body {
    background: var(--paper); color: var(--ink);
    font: 13px/18px 'Archivo Variable', system-ui, sans-serif;
    font-variant-numeric: tabular-nums; font-synthesis: none;
    -webkit-font-smoothing: antialiased;
  }
  button, input, textarea, select { font: inherit; color: inherit; }
  a { color: inherit; text-decoration: none; }
  a:hover { text-decoration: underline; }
  h1, h2, h3, p, ul, ol, dl, dd, figure { margin: 0; padding: 0; }
  h1 { font: 620 19px/24px 'Archivo Variable', sans-serif; font-stretch: 106%; }
  h2 { font: 620 15px/20px 'Archivo Variable', sans-serif; }
  h3 { font: 620 13px/18px 'Archivo Variable', sans-serif; }
  ul, ol { list-style: none; }
  code, pre, kbd, .mono { font-family: 'JetBrains Mono Variable', monospace; font-size: 12px; }
  pre { margin: 0; }
  :focus { outline: none; }
  :focus-visible, [data-focus-visible] { outline: 2px solid var(--brass); outline-offset: 1px; }
  ::selection { background: var(--brass); color: #16282d; }
  .visually-hidden { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); white-space: nowrap; }
  @media (prefers-reduced-motion: reduce) { *, *::before, *::after { animation: none !important; transition: none !important; } }
  @media print { header, nav, [data-noprint] { display: none !important; } body { background: #fff; color: #000; } }
`
