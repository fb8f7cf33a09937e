/** The product's mark: two skins, one over the other. */
export function Mark({ size = 24 }: { size?: number }) {
  return (
    <svg width={size} height={size} viewBox="0 0 24 24" fill="none" strokeWidth="1.7" strokeLinecap="round" aria-hidden="true">
      <path d="M3 18c3-9 6-9 9-3s6 6 9-2" stroke="var(--clay)" />
      <path d="M3 13c3-9 6-9 9-3s6 6 9-2" stroke="var(--loden)" />
    </svg>
  );
}
