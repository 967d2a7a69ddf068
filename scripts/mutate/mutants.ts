import ts from 'typescript';

/** One change of a source file, by offsets in its text. */
export interface Mutant {
  readonly start: number;
  readonly end: number;
  readonly text: string;
  readonly line: number;
}

const swapped: Readonly<Record<string, string>> = {
  '===': '!==',
  '!==': '===',
  '<': '<=',
  '<=': '<',
  '>': '>=',
  '>=': '>',
  '&&': '||',
  '||': '&&',
  '+': '-',
  '-': '+',
};
const methods: Readonly<Record<string, string>> = {
  some: 'every',
  every: 'some',
  startsWith: 'endsWith',
  endsWith: 'startsWith',
  toLowerCase: 'toString',
  trim: 'toString',
};

/** Every small change of a source file that a careless edit might make, but for those of types and words. */
export function mutantsOf(source: string): Mutant[] {
  const file = ts.createSourceFile('a.ts', source, ts.ScriptTarget.Latest, true);
  const found: Mutant[] = [];
  const change = (node: ts.Node, text: string) => {
    const start = node.getStart(file);
    if (source.slice(start, node.end) === text) return;
    const line = file.getLineAndCharacterOfPosition(start).line + 1;
    found.push({ start, end: node.end, text, line });
  };
  const visit = (node: ts.Node): void => {
    if (
      ts.isTypeNode(node) ||
      ts.isImportDeclaration(node) ||
      ts.isInterfaceDeclaration(node) ||
      ts.isTypeAliasDeclaration(node)
    )
      return;
    if (ts.isBinaryExpression(node)) {
      const operator = node.operatorToken.getText(file);
      const other = swapped[operator];
      const isText = operator === '+' && ts.isStringLiteralLike(node.right);
      if (other !== undefined && !isText) change(node.operatorToken, other);
      if (operator === '??') change(node, node.right.getText(file));
    } else if (ts.isPrefixUnaryExpression(node) && node.operator === ts.SyntaxKind.ExclamationToken) {
      change(node, node.operand.getText(file));
    } else if (ts.isConditionalExpression(node)) {
      change(node, node.whenTrue.getText(file));
      change(node, node.whenFalse.getText(file));
    } else if (ts.isIfStatement(node)) {
      change(node.expression, 'false');
      change(node.expression, 'true');
    } else if (ts.isExpressionStatement(node) && ts.isCallExpression(node.expression)) {
      change(node, ';');
    } else if (ts.isReturnStatement(node) && node.expression !== undefined) {
      const { kind } = node.expression;
      if (kind === ts.SyntaxKind.TrueKeyword || kind === ts.SyntaxKind.FalseKeyword) {
        change(node.expression, kind === ts.SyntaxKind.TrueKeyword ? 'false' : 'true');
      }
    } else if (
      ts.isPropertyAccessExpression(node) &&
      ts.isCallExpression(node.parent) &&
      node.parent.expression === node
    ) {
      const other = methods[node.name.text];
      if (other !== undefined) change(node.name, other);
      if (node.name.text === 'filter') change(node.parent, node.expression.getText(file));
    } else if (ts.isNumericLiteral(node) && !ts.isPropertyAssignment(node.parent)) {
      change(node, String(Number(node.text.replaceAll('_', '')) + 1));
    } else if (ts.isRegularExpressionLiteral(node)) {
      change(node, '/(?!)/g');
    } else if (ts.isArrowFunction(node) && !ts.isBlock(node.body) && returnsBoolean(node)) {
      change(node.body, 'true');
      change(node.body, 'false');
    } else if (ts.isPropertyAssignment(node) && node.initializer.kind === ts.SyntaxKind.TrueKeyword) {
      change(node.initializer, 'false');
    }
    ts.forEachChild(node, visit);
  };
  visit(file);
  return found;
}

const returnsBoolean = ({ body }: ts.ArrowFunction) =>
  ts.isBinaryExpression(body) && /^(?:===|!==|<|>|<=|>=|&&|\|\|)$/.test(body.operatorToken.getText());
