export const machines = () => ({});
