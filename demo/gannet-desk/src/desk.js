// The desk: what a passenger sees first.
import { serve, route } from "brackwater";
import { form, field } from "brackwater-forms";
import { page } from "tidepool-pages";
import { store } from "tidepool-store";
import { words } from "skerry-words";
import { signedIn } from "pilotage-auth";
import sailings from "./sailings.js";

const desk = store({ sailing: null, cabin: null, bicycles: 0 });

route("/", page("desk", () => ({ sailings: sailings.tonight(), say: words("en-GB") })));

route("/book", signedIn(form({ passenger: field.text(), bicycles: field.number({ most: 4 }) }, (booking) => desk.put(booking))));

serve({ port: 4300 });
