// A page that is not put together yet is asked for again.
if (document.querySelector("[data-again]")) setTimeout(() => location.reload(), 500);
