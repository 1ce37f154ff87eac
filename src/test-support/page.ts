/** What pages expect of a browser and jsdom has not. To be imported first by tests of components. */
class QuietObserver {
  observe(): void {
    // nothing changes its size here
  }
  unobserve(): void {
    // nothing to forget
  }
  disconnect(): void {
    // nothing to forget
  }
}
Object.assign(globalThis, { ResizeObserver: QuietObserver });
Element.prototype.scrollIntoView = () => undefined;
Element.prototype.hasPointerCapture = () => false;
Element.prototype.setPointerCapture = () => undefined;
Element.prototype.releasePointerCapture = () => undefined;
