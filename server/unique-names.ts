/** Gives names, each once: one that is there already, whatever its case, gets a number before its ending. */
export function uniqueNames(): (name: string) => string {
  const used = new Set<string>()
  return (name) => {
    let unique = name
    for (let i = 2; used.has(unique.toLowerCase()); i++) unique = name.replace(/(\.[^./]*)?$/, `-${i}$1`)
    used.add(unique.toLowerCase())
    return unique
  }
}
