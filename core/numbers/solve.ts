/**
 * Solve a symmetric positive definite system in place by Cholesky's decomposition.
 *
 * @param matrix  n x n, row by row; the lower triangle is used and overwritten.
 * @param right   Right side of length n; holds the solution afterwards.
 * @returns False when the matrix is not positive definite; `right` is then meaningless.
 */
export function solveCholesky(matrix: Float64Array, right: Float64Array, n: number): boolean {
  for (let i = 0; i < n; i++) {
    for (let j = 0; j <= i; j++) {
      let sum = matrix[i * n + j]!
      for (let k = 0; k < j; k++) sum -= matrix[i * n + k]! * matrix[j * n + k]!
      if (i === j) {
        if (!(sum > 1e-300)) return false
        matrix[i * n + i] = Math.sqrt(sum)
      } else {
        matrix[i * n + j] = sum / matrix[j * n + j]!
      }
    }
  }
  for (let i = 0; i < n; i++) {
    let sum = right[i]!
    for (let k = 0; k < i; k++) sum -= matrix[i * n + k]! * right[k]!
    right[i] = sum / matrix[i * n + i]!
  }
  for (let i = n - 1; i >= 0; i--) {
    let sum = right[i]!
    for (let k = i + 1; k < n; k++) sum -= matrix[k * n + i]! * right[k]!
    right[i] = sum / matrix[i * n + i]!
  }
  return true
}
