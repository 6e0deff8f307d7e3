"use client";
export function Stems() { return null; }
