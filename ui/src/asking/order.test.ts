import { describe, expect, it } from "vitest";
import { orderOf, orderSaid, ordersOf, withOrders } from "./order";

describe("orders of models", () => {
  it("reads an order in every shape", () => {
    expect(orderOf("1,1,0", 3)).toEqual([1, 1, 0]);
    expect(orderOf("(2 1 2)", 3)).toEqual([2, 1, 2]);
    expect(orderOf("110", 3)).toEqual([1, 1, 0]);
    expect(orderOf("0, 1, 1, 12", 4)).toEqual([0, 1, 1, 12]);
    expect(orderOf("1, 1", 3)).toBeNull();
    expect(orderOf("12", 3)).toBeNull();
  });
  it("reads several at once", () => {
    expect(ordersOf("(1,1,0) (0,1,1)", 3)).toEqual([
      [1, 1, 0],
      [0, 1, 1],
    ]);
    expect(ordersOf("1 1 0; 0 1 1", 3)).toHaveLength(2);
    expect(ordersOf("(1,1,0) (2,1)", 3)).toBeNull();
    expect(ordersOf("", 3)).toBeNull();
  });
  it("adds each once", () => {
    expect(
      withOrders(
        [[1, 1, 0]],
        [
          [1, 1, 0],
          [0, 1, 1],
          [0, 1, 1],
        ],
      ).map(orderSaid),
    ).toEqual(["(1, 1, 0)", "(0, 1, 1)"]);
  });
});
