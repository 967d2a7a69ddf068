/** The files of the attacked site; each is nothing but its canary. */
export const names: readonly string[] = [
  'index.html',
  'about.html',
  'café.html',
  'notes+more.txt',
  'members/index.html',
  'members/log.html',
  'members/join.html',
  'members/rota/index.html',
  'members/été/index.html',
  'members/straße.pdf',
  'film.html',
  'film/extras.html',
  'press/index.html',
  'press/embargoed/comet.html',
  'press/embargoed/index.html',
  'a/b/c/d.html',
  'a/b/e.html',
  'log.csv',
  'data/2026/night.csv',
  'cgi-bin/report.py',
  'οδος.html',
  'λόγος.pdf',
  'trustees/minutes.html',
  '404.html',
];

export const canaryOf = (name: string) => `<<canary of ${name}>>`;
