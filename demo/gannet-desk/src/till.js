// Payment, tickets and the day's accounts.
import { charge, refund } from "nightberth-payments";
import { post } from "foghorn-mail";
import { leaf } from "ledgerleaf";
import { log } from "plankton-log";
import { map } from "quaymaster-map";

export async function pay(booking) {
  const receipt = await charge(booking.price, { reference: booking.id });
  await leaf("tickets").enter(receipt);
  await post(booking.email, { receipt, where: map(booking.quay) });
  log.info("paid", booking.id);
  return receipt;
}

export const missed = (booking) => refund(booking.receipt, { reason: "missed sailing" });
