/** A photograph made small enough for a dead zone: what waits on a device must not fill it. */

const MOST_PX = 1600
const QUALITY = 0.8

/** The picture as JPEG of at most 1600 px a side, upright. Rejects where the file is no picture. */
export async function smaller(file: Blob): Promise<Blob> {
  const picture = await createImageBitmap(file)
  const scale = Math.min(1, MOST_PX / Math.max(picture.width, picture.height))
  const canvas = document.createElement('canvas')
  canvas.width = Math.round(picture.width * scale)
  canvas.height = Math.round(picture.height * scale)
  canvas.getContext('2d')?.drawImage(picture, 0, 0, canvas.width, canvas.height)
  picture.close()
  return new Promise((resolve, reject) =>
    canvas.toBlob((jpeg) => (jpeg ? resolve(jpeg) : reject(new Error('no picture'))), 'image/jpeg', QUALITY),
  )
}
