import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { connect, createServer, type Server, type Socket } from 'node:net';
import { execa } from 'execa';
import { until } from './server.ts';

const probe = `mivvy-probe-${process.pid}`;
/** Whether networks of our own may be made on this machine; it takes a superuser and the tools of the system. */
export const namespacesThere =
  process.getuid?.() === 0 &&
  spawnSync('tc', ['-V']).status === 0 &&
  spawnSync('ip', ['netns', 'add', probe]).status === 0 &&
  spawnSync('ip', ['netns', 'del', probe]).status === 0;

const ip = (...args: string[]) => execa('ip', args);

/** Whether a process runs. */
function runs(pid: number): boolean {
  try {
    process.kill(pid, 0);
    return true;
  } catch {
    return false;
  }
}

/**
 * Takes away the networks of test runs that were ended by force, and whatever still runs in them: their addresses lead
 * to where nobody is, also for the networks of this run.
 */
async function clearLeftOver(): Promise<void> {
  const { stdout } = await ip('netns', 'list');
  for (const [, name, pid] of stdout.matchAll(/^(mivvy-(\d+)-\d+)/gm)) {
    if (runs(Number(pid))) continue;
    const inside = await ip('netns', 'pids', name!);
    for (const left of inside.stdout.split('\n').filter(Boolean)) process.kill(Number(left), 'SIGKILL');
    // Its end of the line goes with it, and so does ours.
    await ip('netns', 'del', name!);
  }
}

/** The first network of four addresses in 10.177.0.0/16 that this computer is not in. */
async function freeNetwork(): Promise<number> {
  const { stdout } = await ip('-4', '-o', 'addr');
  const taken = new Set([...stdout.matchAll(/ 10\.177\.(\d+)\./g)].map(([, number]) => Number(number)));
  const free = Array.from({ length: 250 }, (_, i) => i + 1).find((number) => !taken.has(number));
  if (free === undefined) throw new Error('all of 10.177.0.0/16 is taken');
  return free;
}

/**
 * Listens on ports of a machine's own loopback and carries everything to the other end of its line, so that what runs
 * there finds the server and the queue at the addresses that they have at home. Runs by itself, inside the namespace.
 */
const carrier = `
  const net = require('node:net');
  const [host, ...ports] = process.argv.slice(1);
  for (const port of ports)
    net.createServer((from) => {
      const to = net.connect(Number(port), host);
      for (const socket of [from, to]) {
        socket.on('error', () => { from.destroy(); to.destroy(); });
        socket.on('close', () => { from.destroy(); to.destroy(); });
      }
      from.pipe(to).pipe(from);
    }).listen(Number(port), '127.0.0.1');
`;

/** A computer of its own on this one: a network namespace at the end of a line that can be cut and slowed. */
export class OwnNetwork {
  private readonly relays: Server[] = [];
  private readonly sockets = new Set<Socket>();
  private carrying: ChildProcess | undefined;

  private constructor(
    private readonly name: string,
    private readonly link: string,
    private readonly host: string,
  ) {}

  /** Makes one, from which some ports of this computer's loopback are reached. */
  static async make(ports: readonly number[]): Promise<OwnNetwork> {
    await clearLeftOver();
    const number = await freeNetwork();
    const name = `mivvy-${process.pid}-${number}`;
    const [here, there] = [`mv${process.pid}x${number}h`, `mv${process.pid}x${number}n`];
    const [host, guest] = [`10.177.${number}.1`, `10.177.${number}.2`];
    await ip('netns', 'add', name);
    await ip('link', 'add', here, 'type', 'veth', 'peer', 'name', there, 'netns', name);
    await ip('addr', 'add', `${host}/30`, 'dev', here);
    await ip('link', 'set', here, 'up');
    await ip('-n', name, 'addr', 'add', `${guest}/30`, 'dev', there);
    await ip('-n', name, 'link', 'set', there, 'up');
    await ip('-n', name, 'link', 'set', 'lo', 'up');
    const network = new OwnNetwork(name, here, host);
    for (const port of ports) await network.relay(port);
    network.carrying = spawn(
      'ip',
      ['netns', 'exec', name, 'node', '-e', carrier, host, ...ports.map(String)],
      {
        stdio: 'ignore',
        env: { ...process.env, NODE_OPTIONS: '' },
      },
    );
    await until(async () => (await execa('ip', ['-n', name, '-4', 'addr'])).stdout.includes(guest));
    return network;
  }

  /** What goes before a command that is to run there. */
  get before(): readonly string[] {
    return ['ip', 'netns', 'exec', this.name];
  }

  /** Carries what comes over the line on to the loopback of this computer. */
  private async relay(port: number): Promise<void> {
    const server = createServer((from) => {
      const to = connect(port, '127.0.0.1');
      for (const socket of [from, to]) {
        this.sockets.add(socket);
        const end = () => {
          from.destroy();
          to.destroy();
          this.sockets.delete(socket);
        };
        socket.on('error', end);
        socket.on('close', end);
      }
      from.pipe(to).pipe(from);
    });
    server.listen(port, this.host);
    await new Promise((listening) => server.once('listening', listening));
    this.relays.push(server);
  }

  /** Cuts the line, or joins it again. Nobody at either end is told. */
  async cut(on: boolean): Promise<void> {
    await ip('link', 'set', this.link, on ? 'down' : 'up');
  }

  /** Slows what comes over the line down to so many bits a second; null for as fast as it goes. */
  async slow(bitsPerSecond: number | null): Promise<void> {
    if (bitsPerSecond === null) await execa('tc', ['qdisc', 'del', 'dev', this.link, 'root']);
    else
      await execa('tc', [
        ...['qdisc', 'add', 'dev', this.link, 'root', 'tbf', 'rate', `${bitsPerSecond}bit`],
        ...['burst', '32kbit', 'latency', '400ms'],
      ]);
  }

  async end(): Promise<void> {
    this.carrying?.kill('SIGKILL');
    for (const socket of this.sockets) socket.destroy();
    for (const relay of this.relays) relay.close();
    await ip('netns', 'del', this.name).catch(() => undefined);
    await ip('link', 'del', this.link).catch(() => undefined);
  }
}
