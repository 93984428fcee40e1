import { test, same } from "sounding-tests";
import { pay, missed } from "../src/till.js";

test("a ticket is paid for", async () => {
  same(await pay({ id: "t7", price: 4800, email: "ailsa@skerry.example", quay: "north" }), { paid: 4800, reference: "t7" });
});

test("a missed sailing is refunded", async () => {
  same(await missed({ receipt: { paid: 4800 } }), { refunded: 4800, reason: "missed sailing" });
});
