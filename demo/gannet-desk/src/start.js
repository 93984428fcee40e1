import { open } from "./desk.js";

open();
