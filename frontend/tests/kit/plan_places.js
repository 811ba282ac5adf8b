import { drawnAt, placeAt } from "../../js/kit/plan_places.js";
import CASES from "../cases/plan.json" with { type: "json" };
import { equal, test } from "../harness.js";

test("a place is drawn where the server draws it, and what is pressed there is that place", () => {
  equal(CASES.drawn.map(([place]) => drawnAt(place)), CASES.drawn.map(([, point]) => point)); // prettier-ignore
  equal(CASES.drawn.map(([, point]) => placeAt(point)), CASES.drawn.map(([place]) => place)); // prettier-ignore
  equal(CASES.outside.map(([point]) => placeAt(point)), CASES.outside.map(([, place]) => place)); // prettier-ignore
});
