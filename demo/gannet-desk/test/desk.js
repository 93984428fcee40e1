import { render } from "brackwater";
import { test, same } from "sounding-tests";
import { book } from "../src/desk.js";
import sailings from "../src/sailings.js";

globalThis.harbour = {
  "/sailings": [
    { ferry: "Fulmar", leaves: "23:10", cabins: 40 },
    { ferry: "Gannet", leaves: "21:40", cabins: 24 },
  ],
};

test("the page lists tonight's sailings, the first to leave first", async () => {
  const html = await render("/");
  same([html.indexOf("Gannet") > 0, html.indexOf("Gannet") < html.indexOf("Fulmar"), html.includes("welcome aboard")], [true, true, true]);
});

test("a booking takes four bicycles at most", () => {
  same(book({ passenger: "Ailsa", bicycles: "7" }), { passenger: "Ailsa", bicycles: 4 });
});

test("cabins are free on a sailing", () => {
  same(sailings.free({ ferry: "Gannet", leaves: "21:40" }).cabins, 12);
});
