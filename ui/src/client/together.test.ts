import { describe, expect, it } from "vitest";
import { follow, meant, together } from "./together";
import { Problem } from "./api";

describe("the revision that a change is meant for", () => {
  it("moves on with our own changes", () => {
    expect(follow(4, 5, false)).toBe(5);
    expect(follow(4, 4, false)).toBe(4);
  });
  it("stays where somebody else's change came in and more of ours is waiting", () => {
    expect(follow(4, 7, false)).toBe(4);
    expect(follow(4, 7, true)).toBe(7);
  });
  it("is sent as the standard has it", () => {
    expect(meant(7).header).toEqual({ "if-match": '"7"' });
  });
  it("is not asked about where the trouble is another", async () => {
    const send = () => Promise.reject(new Problem({ detail: "gone", status: 404 }));
    await expect(together(send, 1, "R")).rejects.toThrow("gone");
  });
});
