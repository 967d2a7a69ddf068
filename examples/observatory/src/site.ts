interface Entry {
  readonly address: string;
  readonly title: string;
  readonly summary: string;
  readonly text: string;
}

let loading: Promise<Entry[]> | undefined;

/** The search index: what everybody may find, and the members' part for those who may have it. */
function entries(): Promise<Entry[]> {
  const load = async (address: string) => {
    const answer = await fetch(address);
    return answer.ok ? ((await answer.json()) as Entry[]) : [];
  };
  loading ??= Promise.all([load('/search.json'), load('/members/search.json')]).then((all) => all.flat());
  return loading;
}

async function find(words: string): Promise<Entry[]> {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  if (wanted.length === 0) return [];
  const score = (entry: Entry) =>
    wanted.every((word) => entry.text.toLowerCase().includes(word) || entry.title.toLowerCase().includes(word))
      ? 1 + wanted.filter((word) => entry.title.toLowerCase().includes(word)).length
      : 0;
  return (await entries()).filter((entry) => score(entry) > 0).sort((one, other) => score(other) - score(one));
}

function listOf(found: readonly Entry[]): HTMLElement {
  const list = document.createElement('ul');
  for (const { address, title, summary } of found) {
    const link = Object.assign(document.createElement('a'), { href: address });
    link.append(
      Object.assign(document.createElement('strong'), { textContent: title }),
      Object.assign(document.createElement('span'), { textContent: summary }),
    );
    const item = document.createElement('li');
    item.append(link);
    list.append(item);
  }
  return list;
}

const input = document.querySelector<HTMLInputElement>('#find');
const box = document.querySelector<HTMLElement>('.found');
input?.addEventListener('input', () => {
  void find(input.value).then((found) => {
    if (!box) return;
    box.hidden = input.value.trim() === '';
    box.replaceChildren(found.length > 0 ? listOf(found.slice(0, 6)) : 'Nothing found.');
  });
});
input?.addEventListener('keydown', (event) => {
  if (event.key === 'Escape' && box) box.hidden = true;
});

const results = document.querySelector('#results');
const query = new URLSearchParams(location.search).get('q') ?? '';
if (results && input) {
  input.value = query;
  void find(query).then((found) => {
    if (query === '') results.textContent = 'Type a word above.';
    else results.replaceChildren(found.length > 0 ? listOf(found) : `Nothing found for “${query}”.`);
  });
}
