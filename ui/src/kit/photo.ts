/** Photos are made small where they are taken: a page needs no twelve megapixels, and a phone's line is slow. */
const LONGEST_PX = 1280

/** A picture of any size as a small JPEG in base64. Throws where the browser cannot read it. */
export async function smallJpeg(file: Blob): Promise<string> {
  const picture = await createImageBitmap(file)
  const small = Math.min(1, LONGEST_PX / Math.max(picture.width, picture.height))
  const canvas = document.createElement('canvas')
  canvas.width = Math.round(picture.width * small)
  canvas.height = Math.round(picture.height * small)
  canvas.getContext('2d')!.drawImage(picture, 0, 0, canvas.width, canvas.height)
  picture.close()
  return canvas.toDataURL('image/jpeg', 0.8).split(',')[1]!
}
