export type Tool = 'black' | 'frame' | 'arrow' | 'text'

/** A mark on a picture, in the picture's own pixels: from a place to another. */
export interface Mark {
  tool: Tool
  x: number
  y: number
  toX: number
  toY: number
  words?: string
}

// Seen on light and on dark pictures alike: a bright stroke with a dark edge.
const bright = '#ffd23f'
const dark = '#1b1b1b'

/** Draws a picture with its marks, in its full size. Blacked out is filled whole, to the edge of each pixel. */
export function draw(canvas: HTMLCanvasElement, image: HTMLImageElement, marks: Mark[]): void {
  canvas.width = image.naturalWidth
  canvas.height = image.naturalHeight
  const c = canvas.getContext('2d')
  if (!c) return
  c.drawImage(image, 0, 0)
  const stroke = Math.max(2, Math.round(Math.min(canvas.width, canvas.height) / 160))
  // What is blacked out lies under no mark.
  for (const m of [...marks.filter((x) => x.tool === 'black'), ...marks.filter((x) => x.tool !== 'black')])
    one(c, m, stroke)
}

function one(c: CanvasRenderingContext2D, m: Mark, stroke: number): void {
  const [left, right] = [Math.min(m.x, m.toX), Math.max(m.x, m.toX)]
  const [top, bottom] = [Math.min(m.y, m.toY), Math.max(m.y, m.toY)]
  switch (m.tool) {
    case 'black':
      c.fillStyle = '#000000'
      c.fillRect(
        Math.floor(left),
        Math.floor(top),
        Math.ceil(right) - Math.floor(left),
        Math.ceil(bottom) - Math.floor(top),
      )
      return
    case 'frame':
      return twice(c, stroke, () => c.strokeRect(left, top, right - left, bottom - top))
    case 'arrow': {
      const angle = Math.atan2(m.toY - m.y, m.toX - m.x)
      const head = stroke * 6
      return twice(c, stroke, () => {
        c.beginPath()
        c.moveTo(m.x, m.y)
        c.lineTo(m.toX, m.toY)
        for (const side of [-1, 1]) {
          c.moveTo(m.toX, m.toY)
          c.lineTo(m.toX - head * Math.cos(angle + side * 0.5), m.toY - head * Math.sin(angle + side * 0.5))
        }
        c.stroke()
      })
    }
    case 'text':
      c.font = `600 ${stroke * 9}px "Source Sans 3 Variable", sans-serif`
      c.textBaseline = 'top'
      c.lineJoin = 'round'
      c.lineWidth = stroke * 1.6
      c.strokeStyle = dark
      c.strokeText(m.words ?? '', m.x, m.y)
      c.fillStyle = bright
      c.fillText(m.words ?? '', m.x, m.y)
  }
}

/** Draws a line with a dark edge. */
function twice(c: CanvasRenderingContext2D, stroke: number, line: () => void): void {
  c.lineCap = c.lineJoin = 'round'
  for (const [colour, width] of [
    [dark, stroke * 2],
    [bright, stroke],
  ] as const) {
    c.strokeStyle = colour
    c.lineWidth = width
    line()
  }
}
