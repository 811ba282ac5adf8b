/** What the scripts take from the page: elements are found by id and event targets by selector, so their kinds are not
 * known to the checker; what is ours (modules, tables, messages) is checked. */
interface EventTarget {
  closest(selector: string): any;
  matches(selector: string): boolean;
  readonly dataset: DOMStringMap;
  id: string;
  value: any;
  defaultValue: any;
  checked: any;
  readonly type: string;
  readonly tagName: string;
  readonly nextElementSibling: any;
  files: any;
  getBoundingClientRect(): DOMRect;
  releasePointerCapture(id: number): void;
  blur(): void;
}
interface Element {
  value: any;
  selectionStart: any;
  selectionEnd: any;
  options: any;
  readonly dataset: DOMStringMap;
  hidden: any;
  disabled: any;
  focus(options?: FocusOptions): void;
  click(): void;
  tabIndex: number;
  close(): void;
  readonly children: HTMLCollection;
  title: string;
  open: any;
  offsetHeight: number;
  draggable: boolean;
  readonly cells: any;
  content: any;
}
interface HTMLElement {
  checked: any;
  defaultValue: any;
  width: any;
  height: any;
  getContext(kind: "2d"): CanvasRenderingContext2D;
  options: any;
  placeholder: string;
  showPicker(): void;
  showModal(): void;
  select(): void;
  selectionStart: any;
  selectionEnd: any;
  setSelectionRange(from: number, to: number): void;
  elements: any;
  files: any;
  insertCell(): HTMLTableCellElement;
}
interface Event {
  readonly detail: any;
  readonly key: any;
  readonly code: any;
  readonly shiftKey: boolean;
  readonly ctrlKey: boolean;
  readonly metaKey: boolean;
  readonly altKey: boolean;
  readonly clientX: number;
  readonly clientY: number;
  readonly pointerId: number;
  readonly button: number;
  readonly deltaX: number;
  readonly deltaY: number;
  readonly repeat: boolean;
  readonly submitter: any;
  readonly dataTransfer: any;
  readonly message: any;
}
interface Window {
  htmx: any;
  dactyl: any;
}
interface Navigator {
  keyboard: any;
}
declare class AudioWorkletProcessor {
  constructor(options?: unknown);
  readonly port: MessagePort;
}
declare function registerProcessor(name: string, processor: unknown): void;
declare const currentFrame: number;
declare const sampleRate: number;
