'use client';

export default function Problem({ error, reset }: { error: Error; reset: () => void }) {
  return (
    <main className="home">
      <h1>This page could not be shown</h1>
      <p className="home-lead">{error.message || 'Something unforeseen happened.'} What was saved is safe.</p>
      <button type="button" className="btn primary" onClick={reset}>
        Try again
      </button>{' '}
      <a className="btn" href="/">
        To all models
      </a>
    </main>
  );
}
