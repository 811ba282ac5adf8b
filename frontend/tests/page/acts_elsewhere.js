import { readElsewhere } from "../../js/page/acts_elsewhere.js";
import { equal, test } from "../harness.js";

test("links of a view that is only read lead where they would there; what is pressed is done there; what every view has is left out", async () => {
  const before = window.fetch;
  window.fetch = /** @type {any} */ (async () => new Response(`<a href="?shown=7">House</a><button>Add</button><nav hx-swap-oob="true"><button>Kit</button></nav>`));
  const found = [];
  await readElsewhere([{ name: "Sets", url: "/kits/3/sets/" }], (acts) => found.push(...acts));
  window.fetch = before;
  equal(found.map(({ name, url, does }) => [name, url, does?.name ?? null]), [["House", "/kits/3/sets/?shown=7", null], ["Add", "/kits/3/sets/", "Add"]]); // prettier-ignore
});
