export const formatRow = ({ day, high, from, to }) => `<tr><th scope="row">${day}</th><td>${high}</td><td>${from} to ${to}</td></tr>`;
