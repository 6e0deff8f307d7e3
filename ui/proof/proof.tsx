"use client";
export function Proof() { return null; }
