import type { Client, InStatement, Transaction, TransactionMode } from '@libsql/client';
import PQueue from 'p-queue';

/** No transaction of ours takes long; one that does is cut off, so that the others go on. Milliseconds. */
const longestTurnMs = 30_000;

const reads = /^\s*(select|pragma|explain|with\b(?![\s\S]*\b(insert|update|delete)\b))/i;
const sqlOf = (statement: InStatement | [string, unknown]): string =>
  typeof statement === 'string' ? statement : Array.isArray(statement) ? statement[0] : statement.sql;

/**
 * Lets one thing at a time write through a client. SQLite has one writer, and this client waits for it without letting
 * anything else of the process run: a transaction that another one waits for would never come to its end.
 */
export function oneWriter(client: Client): Client {
  const writers = new PQueue({ concurrency: 1 });
  const inTurn = async <T>(work: () => Promise<T>): Promise<T> => {
    let late = false;
    // A write outside of the transaction that it belongs to would wait for itself: that is told, and nothing hangs.
    const patience = setTimeout(() => (late = true), longestTurnMs);
    return (await writers.add(async () => {
      clearTimeout(patience);
      if (late) throw new Error('SQLITE_BUSY: another write took too long');
      return work();
    })) as T;
  };

  /** A transaction holds its turn until it is closed, whichever way. */
  const transaction = (mode: TransactionMode = 'write'): Promise<Transaction> =>
    new Promise((resolve, reject) => {
      void writers.add(async () => {
        try {
          const real = await client.transaction(mode);
          await new Promise<void>((ended) => {
            const cut = setTimeout(() => (real.close(), ended()), longestTurnMs);
            resolve(heldUntilClosed(real, () => (clearTimeout(cut), ended())));
          });
        } catch (error) {
          reject(error as Error);
        }
      });
    });

  return new Proxy(client, {
    get(target, name) {
      if (name === 'transaction') return transaction;
      if (name === 'execute') {
        return (statement: InStatement, args?: never) =>
          reads.test(sqlOf(statement))
            ? target.execute(statement as string, args)
            : inTurn(() => target.execute(statement as string, args));
      }
      if (name === 'batch') {
        return (statements: InStatement[], mode?: 'write' | 'read' | 'deferred') =>
          statements.every((s) => reads.test(sqlOf(s)))
            ? target.batch(statements, mode)
            : inTurn(() => target.batch(statements, mode));
      }
      if (name === 'migrate') return (statements: InStatement[]) => inTurn(() => target.migrate(statements));
      const value: unknown = Reflect.get(target, name, target);
      return typeof value === 'function' ? (value.bind(target) as unknown) : value;
    },
  });
}

function heldUntilClosed(real: Transaction, ended: () => void): Transaction {
  return new Proxy(real, {
    get(target, name) {
      if (name === 'commit') {
        return async () => {
          try {
            await target.commit();
          } finally {
            // A commit that failed, on a full disk for one, leaves a transaction that nobody would close.
            target.close();
            ended();
          }
        };
      }
      if (name === 'rollback') {
        return async () => {
          // On some errors SQLite has rolled back already; what matters then is the error before.
          await target.rollback().catch(() => undefined);
          target.close();
          ended();
        };
      }
      if (name === 'close') {
        return () => {
          target.close();
          ended();
        };
      }
      const value: unknown = Reflect.get(target, name, target);
      return typeof value === 'function' ? (value.bind(target) as unknown) : value;
    },
  });
}
