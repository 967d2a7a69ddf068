import { spawn } from 'node:child_process';
import { createInterface } from 'node:readline';

/** A program of a bench that answers each line that it is sent with a number. */
export function askedChild(program: string, args: readonly string[]) {
  const child = spawn(process.execPath, ['--expose-gc', program, ...args], { stdio: ['pipe', 'pipe', 'inherit'] });
  const lines = createInterface(child.stdout)[Symbol.asyncIterator]();
  return {
    ask: async (line: string): Promise<number> => {
      child.stdin.write(`${line}\n`);
      const { value } = (await lines.next()) as { value: string | undefined };
      return Number(value);
    },
    end: () => child.kill(),
  };
}
