/** A size as people read it: 512 bytes, 1.2 MB. A kB has 1024 bytes. */
export function bytes(n: number): string {
  if (n < 1024) return n === 1 ? '1 byte' : `${n} bytes`
  let v = n / 1024
  let unit = 'kB'
  for (const larger of ['MB', 'GB']) {
    if (v < 1023.95) break
    v /= 1024
    unit = larger
  }
  return `${v.toFixed(1).replace(/\.0$/, '')} ${unit}`
}
