export function Mark() {
  return (
    <svg
      viewBox="0 0 24 24"
      className="text-primary h-6 w-6"
      fill="none"
      stroke="currentColor"
      strokeWidth="1.7"
      strokeLinecap="round"
      aria-hidden="true"
    >
      <path d="M12 21.5V12.5M12 12.5C8 11.5 5.2 8.5 4.6 4.2M12 12.5C16 11.5 18.8 8.5 19.4 4.2" />
      <circle cx="4.6" cy="3.6" r="1.3" fill="currentColor" />
      <circle cx="19.4" cy="3.6" r="1.3" fill="currentColor" />
    </svg>
  );
}
