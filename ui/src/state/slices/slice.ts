/** A part of the screen: its members, made from the function that changes them and the members of others it touches. */
export type Change<T> = (change: Partial<T> | ((now: T) => Partial<T>)) => void;
export type Slice<T, Touched = object> = (set: Change<T & Touched>) => T;
