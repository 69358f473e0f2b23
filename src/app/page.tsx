export default function Page() { return <p>Bugle</p> }
