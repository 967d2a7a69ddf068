import assert from 'node:assert/strict';
import { join, resolve } from 'node:path';
import { test } from 'node:test';
import ts from 'typescript';
import { repository } from '../support/command-line.js';

const dist = resolve(repository, 'dist');

/** What the declarations of an entry name of the package's own and do not export: `file: name`. */
function unexported(entry: string): string[] {
  const file = join(dist, entry);
  const root = join(dist, 'index.d.ts');
  const node = join(dist, 'node.d.ts');
  const program = ts.createProgram([file, root, node], {
    module: ts.ModuleKind.NodeNext,
    moduleResolution: ts.ModuleResolutionKind.NodeNext,
    target: ts.ScriptTarget.ES2023,
    skipLibCheck: true,
    types: ['node'],
  });
  const checker = program.getTypeChecker();
  const plain = (one: ts.Symbol) => ((one.flags & ts.SymbolFlags.Alias) !== 0 ? checker.getAliasedSymbol(one) : one);
  const exportsOf = (name: string) => {
    const source = program.getSourceFile(name);
    const symbol = source && checker.getSymbolAtLocation(source);
    return symbol === undefined ? [] : checker.getExportsOfModule(symbol).map(plain);
  };
  const exported = new Set(exportsOf(file));
  // What runs anywhere is imported from there, and what a guard is told in Vite from where guards are.
  const known = new Set([...exported, ...exportsOf(root), ...(entry === 'vite.d.ts' ? exportsOf(node) : [])]);
  assert.equal(exported.size > 1, true);
  const missing = new Set<string>();
  const look = (node: ts.Node) => {
    // What is private is of no concern to who uses it.
    if (
      ts.canHaveModifiers(node) &&
      ts.getModifiers(node)?.some(({ kind }) => kind === ts.SyntaxKind.PrivateKeyword) === true
    )
      return;
    const name = ts.isTypeReferenceNode(node)
      ? node.typeName
      : ts.isExpressionWithTypeArguments(node)
        ? node.expression
        : ts.isTypeQueryNode(node)
          ? node.exprName
          : undefined;
    const found = name && checker.getSymbolAtLocation(name);
    const named = found && plain(found);
    const [declaration] = named?.declarations ?? [];
    const isOurs = declaration?.getSourceFile().fileName.startsWith(dist) === true;
    const isParameter = declaration !== undefined && ts.isTypeParameterDeclaration(declaration);
    if (named !== undefined && isOurs && !isParameter && !known.has(named))
      missing.add(`${declaration.getSourceFile().fileName.slice(dist.length + 1)}: ${named.name}`);
    ts.forEachChild(node, look);
  };
  for (const one of exported) for (const declaration of one.declarations ?? []) look(declaration);
  return [...missing].sort();
}

for (const entry of [
  'index.d.ts',
  'node.d.ts',
  'fetch.d.ts',
  'fastify.d.ts',
  'redis.d.ts',
  'vite.d.ts',
  'design.d.ts',
  'unseal.d.ts',
]) {
  test(`every type that ${entry} names can be imported`, () => {
    assert.equal(unexported(entry).join('\n'), '');
  });
}
