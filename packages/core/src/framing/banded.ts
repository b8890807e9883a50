// Taken once: looked up in the inner loops, a test runner's sandbox makes it a hundred times slower.
const { max, sqrt } = Math;

/** Four diagonals of a symmetric matrix: the main one and three beside it. */
export class Banded {
  readonly d: Float64Array[];

  constructor(readonly n: number) {
    this.d = [0, 1, 2, 3].map(() => new Float64Array(n));
  }

  /** Adds weight times the outer product of a row that starts at a column. */
  add(first: number, row: ArrayLike<number>, weight: number): void {
    for (let i = 0; i < row.length; i++)
      for (let j = i; j < row.length; j++) this.d[j - i]![first + i]! += weight * row[i]! * row[j]!;
  }

  /** Splits the matrix into a lower triangle times its mirror image, in place. (Cholesky.) */
  split(): void {
    const [a, b, c, e] = this.d as [Float64Array, Float64Array, Float64Array, Float64Array];
    for (let i = 0; i < this.n; i++) {
      let v = a[i]!;
      if (i > 0) v -= b[i - 1]! ** 2;
      if (i > 1) v -= c[i - 2]! ** 2;
      if (i > 2) v -= e[i - 3]! ** 2;
      const root = sqrt(max(v, 1e-14));
      a[i] = root;
      if (i + 1 < this.n)
        b[i] = (b[i]! - (i > 0 ? b[i - 1]! * c[i - 1]! : 0) - (i > 1 ? c[i - 2]! * e[i - 2]! : 0)) / root;
      if (i + 2 < this.n) c[i] = (c[i]! - (i > 0 ? b[i - 1]! * e[i - 1]! : 0)) / root;
      if (i + 3 < this.n) e[i] = e[i]! / root;
    }
  }

  /** Solves for a right side, in place. */
  solve(x: Float64Array): void {
    const [a, b, c, e] = this.d as [Float64Array, Float64Array, Float64Array, Float64Array];
    const n = this.n;
    for (let i = 0; i < n; i++) {
      let v = x[i]!;
      if (i > 0) v -= b[i - 1]! * x[i - 1]!;
      if (i > 1) v -= c[i - 2]! * x[i - 2]!;
      if (i > 2) v -= e[i - 3]! * x[i - 3]!;
      x[i] = v / a[i]!;
    }
    for (let i = n - 1; i >= 0; i--) {
      let v = x[i]!;
      if (i + 1 < n) v -= b[i]! * x[i + 1]!;
      if (i + 2 < n) v -= c[i]! * x[i + 2]!;
      if (i + 3 < n) v -= e[i]! * x[i + 3]!;
      x[i] = v / a[i]!;
    }
  }
}
