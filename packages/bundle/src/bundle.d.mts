/**
 * The modules of a program or a worker, written in TypeScript, as one file that Node runs as it is. Loaded one by one,
 * each through a loader that reads TypeScript, they take seconds to start. The file is kept, and made
 * anew when one of its sources was written since.
 *
 * @returns where it is: in `dist/bundles` of the package that the program is of
 * @throws where that folder cannot be written to
 */
export function bundled(file: URL): Promise<URL>;
