import { tryDoors } from "../trust/doors";
import { expect, test } from "./stemzo";

test("a server that is open to others: none comes in, locks others out, is led elsewhere or takes more than a link gives", async ({
  stemzo,
}) => {
  expect(await tryDoors(stemzo.address)).toEqual([]);
});
