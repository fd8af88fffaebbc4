// Where a cloth was when its page was left: coming back in the same tab shows the same place at the same zoom. What a
// canvas has in use, its view with it, is kept by the server (`in_use.js`).

const key = () => `view ${window.location.pathname}`;

export function keepView(cloth) {
  window.addEventListener("pagehide", () => {
    const { zoom, left, top, width, height } = cloth;
    const middle = [(width / 2 - left) / zoom, (height / 2 - top) / zoom];
    if (cloth.follow) sessionStorage.removeItem(key());
    else sessionStorage.setItem(key(), JSON.stringify({ zoom, middle }));
  });
  const kept = JSON.parse(sessionStorage.getItem(key()) ?? "null");
  if (!kept) return;
  cloth.follow = false;
  cloth.zoom = kept.zoom;
  cloth.left = cloth.width / 2 - kept.middle[0] * kept.zoom;
  cloth.top = cloth.height / 2 - kept.middle[1] * kept.zoom;
  cloth.moved();
}
