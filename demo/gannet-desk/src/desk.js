// The desk: what a passenger sees first.
import { serve, route } from "brackwater";
import { form, field } from "brackwater-forms";
import { page } from "tidepool-pages";
import { store } from "tidepool-store";
import { words } from "skerry-words";
import { signedIn } from "pilotage-auth";
import sailings from "./sailings.js";

const desk = store({ passenger: null, bicycles: 0 });

export const book = signedIn(form({ passenger: field.text(), bicycles: field.number({ most: 4 }) }, desk.put));

route("/", page("desk", () => ({ sailings: sailings.tonight(), say: words("en-GB") })));

export const open = () => serve({ port: process.env.PORT ?? 4300 });
