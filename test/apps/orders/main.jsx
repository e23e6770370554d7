/** An application of one page for the mill's shop: its own addresses are answered in the browser. */
import { h, render } from 'preact';
import { ErrorBoundary, LocationProvider, Route, Router, useRoute } from 'preact-iso';

const Home = () => <h1>Orders of the mill</h1>;
const About = () => <h1>About the mill's shop</h1>;
const Orders = () => <h1>All orders</h1>;
const Order = () => <h1>Order {useRoute().params.id}</h1>;
const Nothing = () => <h1>No such page</h1>;

render(
  <LocationProvider>
    <nav>
      <a href="/">Home</a> <a href="/orders">Orders</a> <a href="/orders/12">Order 12</a>{' '}
      <a href="/about">About</a>
    </nav>
    <ErrorBoundary>
      <Router>
        <Route path="/" component={Home} />
        <Route path="/about" component={About} />
        <Route path="/orders" component={Orders} />
        <Route path="/orders/:id" component={Order} />
        <Route default component={Nothing} />
      </Router>
    </ErrorBoundary>
  </LocationProvider>,
  document.getElementById('app'),
);
