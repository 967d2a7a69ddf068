import { resolve } from 'node:path';
import ts from 'typescript';

/** What is longer is read in the declarations themselves. */
const longest = 1600;

const entries = [
  ['dorlin', 'index.d.ts', 'What runs anywhere: policy, decision, screen, guard.'],
  ['dorlin/node', 'node.d.ts', 'A guard over a policy file in Node, as middleware or around a request listener.'],
  ['dorlin/fetch', 'fetch.d.ts', 'The guard before handlers of fetch style: Hono, Deno, Bun, workers.'],
  ['dorlin/fastify', 'fastify.d.ts', 'The guard as a plugin of Fastify 5.'],
  ['dorlin/redis', 'redis.d.ts', 'Many machines and many sites, by Redis.'],
  ['dorlin/vite', 'vite.d.ts', 'In Vite: the guard before its servers, and a sealed site from its build.'],
  ['dorlin/design', 'design.d.ts', 'What a designer of screens needs, in any runtime: looks, renderer, contrast.'],
  ['dorlin/unseal', 'unseal.d.ts', 'What opens a sealed site, on WebCrypto alone, for an application of one’s own.'],
] as const;

/** The exports of a built declaration file, by name: what each is for, and how it is declared. */
function exportsOf(file: string): string[] {
  const path = resolve('dist', file);
  const options = {
    module: ts.ModuleKind.NodeNext,
    moduleResolution: ts.ModuleResolutionKind.NodeNext,
    target: ts.ScriptTarget.ES2023,
    skipLibCheck: true,
    types: ['node'],
  };
  const program = ts.createProgram([path], options);
  const checker = program.getTypeChecker();
  const source = program.getSourceFile(path);
  const module = source && checker.getSymbolAtLocation(source);
  if (module === undefined) throw new Error(`${path} is not there: run \`npm run build\``);
  return checker
    .getExportsOfModule(module)
    .map((one) => ((one.flags & ts.SymbolFlags.Alias) !== 0 ? checker.getAliasedSymbol(one) : one))
    .sort((one, other) => (one.name.toLowerCase() < other.name.toLowerCase() ? -1 : 1))
    .map((symbol) => {
      const about = ts.displayPartsToString(symbol.getDocumentationComment(checker));
      const [declaration] = symbol.declarations ?? [];
      const statement =
        declaration !== undefined && ts.isVariableDeclaration(declaration) ? declaration.parent.parent : declaration;
      const text = (statement?.getText() ?? '').replace(/^(?:export )?(?:declare )?/, '');
      const shown = text.length > longest ? `${text.split('\n', 1)[0]?.slice(0, 100) ?? ''} …` : text;
      return `### \`${symbol.name}\`\n\n${about === '' ? '' : `${about}\n\n`}\`\`\`ts\n${shown}\n\`\`\`\n`;
    });
}

/** The public interface, from the declarations that are shipped. */
export const apiPage = (note: string) =>
  `# The library\n\n${note} It has all that can be imported, as the declarations in the package say it.\n\n${entries
    .map(([name, file, about]) => `## \`${name}\`\n\n${about}\n\n${exportsOf(file).join('\n')}`)
    .join('\n')}`;
