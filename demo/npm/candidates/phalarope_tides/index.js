// Only the native side is of interest here.
export const warn = () => {};
