const key = "switchback-last-dialled";

/** The number that was tried last in this tab: it is shown where rules are edited. */
export const lastDialled = {
  get: () => sessionStorage.getItem(key) ?? "",
  set: (number: string) => sessionStorage.setItem(key, number),
};
