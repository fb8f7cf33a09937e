/** Stands for Node's own `module` in the browser's bundle, where libraries made for both ask for it and do not use it. */
export {};
