// Which ferries leave tonight, and what is free on them.
import { contract } from "harborline-schema";
import { plan } from "gannet-seats";
import { nightOf } from "dayboat-dates";
import { timetable } from "saltmarsh-tables";
import { cached } from "wakeful-cache";
import { get } from "moorings-http";

const Sailing = contract({ ferry: "text", leaves: "time", cabins: "number" });

export default {
  tonight: cached("tonight", async () => timetable(await get("/sailings", { night: nightOf(Date.now()), as: Sailing }))),
  free: (sailing) => plan(sailing.ferry).free(sailing.leaves),
};
