/** Rows of pixels, the lowest first, as a PNG. */
export function asPng(pixels: Uint8Array, width: number, height: number): Promise<Blob> {
  const out = document.createElement('canvas')
  out.width = width
  out.height = height
  const context = out.getContext('2d')
  if (context) {
    const image = context.createImageData(width, height)
    for (let y = 0; y < height; y += 1)
      image.data.set(
        pixels.subarray((height - 1 - y) * width * 4, (height - y) * width * 4),
        y * width * 4,
      )
    context.putImageData(image, 0, 0)
  }
  return new Promise((done, fail) => {
    out.toBlob((b) => {
      if (b) done(b)
      else fail(new Error('This browser can’t make a picture of that size. Make it smaller.'))
    }, 'image/png')
  })
}
