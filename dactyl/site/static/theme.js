(()=>{var e=localStorage.getItem("theme"),t=e?e==="night":matchMedia("(prefers-color-scheme: dark)").matches;document.documentElement.dataset.theme=t?"night":"paper";})();
