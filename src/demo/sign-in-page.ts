import { escapeHtml } from '../core/screen/html.js';

/** Somebody who can be played. */
export interface PlayedPerson {
  /** What goes into the token's `email`. */
  readonly email: string;
  readonly name: string;
  readonly roles: readonly string[];
  /** Who that is, in a few words. */
  readonly about: string;
}

const style = `
:root{color-scheme:light dark;--ground:#f4f1ea;--ink:#1d2b33;--soft:#55646c;--card:#fffdf8;--line:#d5cdbd;--accent:#7a3b12}
@media (prefers-color-scheme:dark){:root{--ground:#171d20;--ink:#eef1ef;--soft:#b0bcbf;--card:#20292c;--line:#3d494c;--accent:#f0b27a}}
*{box-sizing:border-box}
html{font:100%/1.5 "Avenir Next","Segoe UI",Ubuntu,Cantarell,"Noto Sans","DejaVu Sans",sans-serif;background:var(--ground);color:var(--ink)}
body{margin:0 auto;max-width:40rem;padding:clamp(2rem,9vh,6rem) 1.25rem 3rem}
p{margin:0;color:var(--soft)}.site{font-weight:600}
h1{font-size:clamp(1.8rem,1.3rem + 2.4vw,2.6rem);line-height:1.15;letter-spacing:-.02em;margin:.4rem 0 .7rem;text-wrap:balance}
form{margin:2rem 0 0;display:grid;gap:.6rem}
button{font:inherit;color:inherit;text-align:start;background:var(--card);border:1px solid var(--line);border-radius:.6rem;padding:.85rem 1.1rem;cursor:pointer;display:grid;gap:.1rem}
button:hover{border-color:var(--accent)}
button:focus-visible,a:focus-visible{outline:3px solid var(--accent);outline-offset:3px}
b{font-size:1.0625rem}span{color:var(--soft);font-size:.9375rem}
.out{background:none;border-style:dashed}
.home{margin-top:2rem}a{color:var(--accent);text-underline-offset:.2em}
`.trim();

/** The page of the simulated sign-in: one button for each person. */
export function signInPage(siteName: string, people: readonly PlayedPerson[], home: string): string {
  const buttons = people.map(({ email, name, roles, about }) => {
    const has = roles.length === 0 ? 'no role' : `role ${roles.join(', ')}`;
    return `<button name="person" value="${escapeHtml(email)}"><b>${escapeHtml(name)}</b><span>${escapeHtml(`${about} (${has})`)}</span></button>`;
  });
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<meta name="robots" content="noindex">
<title>Who would you like to be? · ${escapeHtml(siteName)}</title>
<link rel="icon" href="data:,">
<style>${style}</style>
</head>
<body>
<main>
<p class="site">${escapeHtml(siteName)}, simulated sign-in</p>
<h1>Who would you like to be?</h1>
<p>Nobody asks for a password here: this stands in for a real sign-in, and serves this machine alone. It hands out a signed token, from which the site learns who you are and which roles you have.</p>
<form method="post" action="/sign-in">
${buttons.join('\n')}
<button class="out" name="person" value=""><b>Nobody</b><span>Sign out, and meet the site as a stranger</span></button>
</form>
<p class="home"><a href="${escapeHtml(home)}">Back to the site</a></p>
</main>
</body>
</html>
`;
}
