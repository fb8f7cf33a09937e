import Link from 'next/link';

export default function NotFound() {
  return (
    <main className="home">
      <h1>There is no such model</h1>
      <p className="home-lead">It may have been deleted.</p>
      <Link className="btn primary" href="/">
        To all models
      </Link>
    </main>
  );
}
