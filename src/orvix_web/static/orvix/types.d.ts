// For ./check only: what the pages' scripts take for granted of a browser and of what is shipped beside them.
//
// Elements come from our own templates, so what kind an element is is not checked; names of our own objects are.
interface ParentNode {
  querySelector(selectors: string): any;
  querySelectorAll(selectors: string): NodeListOf<any>;
}
interface Document {
  getElementById(id: string): any;
}
interface Element {
  closest(selector: string): any;
}
interface Event {
  readonly detail: any;
}
interface EventTarget {
  closest(selector: string): any;
  matches: any;
  readonly dataset: DOMStringMap;
  readonly form: any;
  id: any;
  name: any;
  value: any;
  checked: any;
}
interface Window {
  Alpine: any;
  htmx: any;
  orvixIdle: any;
  orvixWaitsFor: any;
  orvixRoom: any;
  orvixTile: any;
  orvixDraw: any;
  orvixLayout: any;
  orvixBench: any;
  orvixWall: any;
  orvixPen: any;
  orvixOwn: any;
}
