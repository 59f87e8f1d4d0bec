/** Something that can be listened to: the one set of listeners there is. */
export class Subscribable {
  private readonly listeners = new Set<() => void>()

  /** Hear of every change until the answer is called. */
  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener)
    return () => this.listeners.delete(listener)
  }

  tell = (): void => this.listeners.forEach((listener) => listener())
}
